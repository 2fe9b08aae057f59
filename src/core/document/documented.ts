import type { Graph } from '../model/graph.ts';
import type { Components } from './components.ts';
import type { OperationIds } from './operation-ids.ts';

/** A record of the sample data, by the names of its members. */
export type Sample = Readonly<Record<string, unknown>>;

/** What a document is made of. */
export interface Documented {
  readonly graph: Graph;
  readonly components: Components;
  readonly ids: OperationIds;
  /** The first record of the samples of each model, by the model's name, as far as there is one. */
  readonly samples: ReadonlyMap<string, Sample>;
}
