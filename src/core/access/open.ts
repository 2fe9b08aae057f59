import type { Model } from '../model/graph.ts';

/** Whether everybody may read every record of a model. */
export const isReadByAll = ({ access }: Model): boolean => access.verbs.read.some(({ kind }) => kind === 'anybody');

/** Whether anybody may read and change every record of a model that is no part of another. */
export const isOpen = ({ access, parent }: Model): boolean =>
  parent === undefined &&
  (['read', 'create', 'update', 'delete'] as const).every((verb) =>
    access.verbs[verb].some(({ kind }) => kind === 'anybody'),
  );
