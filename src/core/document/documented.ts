import type { Graph } from '../model/graph.ts';
import type { Components } from './components.ts';

/** A record of the sample data, by the names of its members. */
export type Sample = Readonly<Record<string, unknown>>;

/** What a document is made of. */
export interface Documented {
  readonly graph: Graph;
  readonly components: Components;
  /** The first record of the samples of each model, by the model's name, as far as there is one. */
  readonly samples: ReadonlyMap<string, Sample>;
}
