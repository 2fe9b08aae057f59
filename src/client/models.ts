/** A stand-in for the types of a project's models, so that the types beside it can be checked alone. */
export interface Models {
  Thing: {
    key: string;
    own: { id: string; name: string };
    views: { default: { id: string; name: string } };
    one: { twin: 'Thing' };
    many: { parts: 'Thing' };
    where: { name?: string };
    sort: 'name';
    texts: 'name';
    acts: 'update';
    created: { id: string; name: string };
    changed: { id: string; name: string };
  };
}

export type ProblemKind = 'taken' | 'still-running' | 'outcome-unknown';
