/**
 * What stands in the place of the types of a project's models, so that the types beside it can be checked by
 * themselves.
 */
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
