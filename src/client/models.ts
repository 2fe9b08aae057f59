/** A stand-in for the types of a project's models, so that the types beside it can be checked alone. */
export interface Models {
  Thing: {
    key: string;
    own: { id: string; name: string };
    views: { default: { id: string; name: string } };
    one: { twin: 'Thing' };
    many: { parts: 'Thing' };
    where: { name?: string | readonly string[] };
    sort: 'name' | '-name';
    made: { id: string; name: string };
  };
}
