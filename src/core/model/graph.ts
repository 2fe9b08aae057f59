import type { Identity } from './identity.ts';
import type { Model } from './model.ts';
import type { ServiceSettings } from './service.ts';

/** What is known of a project's own code by reading it. */
export interface CodeFacts {
  /** The models that have hooks. */
  readonly hooked: ReadonlySet<string>;
  /** The statuses that it refuses with, 422 among them; undefined where they can't be told. */
  readonly refusals: readonly number[] | undefined;
}

/** Everything that was declared, resolved and frozen. All the rest of the program is a function of it. */
export interface Graph {
  readonly service: ServiceSettings;
  readonly identity?: Identity;
  /** In an order in which models come after those that they refer to, as far as possible. */
  readonly models: readonly Model[];
  readonly byName: ReadonlyMap<string, Model>;
  /** What is known of the project's own code without running it. */
  readonly code?: CodeFacts;
  /** Set where it is fitted to a database that was there before the models. */
  readonly fitted?: {
    /** Whether that has none of the tool's own tables. */
    readonly isBare: boolean;
  };
}

/** The model of a name that exists, because the graph was resolved. */
export function modelOf(graph: Pick<Graph, 'byName'>, name: string): Model {
  const model = graph.byName.get(name);
  if (model === undefined) throw new Error(`the graph has no model ${name}`);
  return model;
}
