import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';

/**
 * The words of the language that this version reads and checks, but does not support yet. They are reported each
 * time.
 */
export interface UnsupportedFeatures {
  /** `may (9 models)`, in the order of the language. */
  readonly words: readonly string[];
}

const inModels: readonly (readonly [string, (model: Model) => boolean])[] = [
  ['label', ({ label }) => label !== undefined],
];

export function unsupportedIn({ models }: Graph): UnsupportedFeatures {
  const used = inModels.map(([word, uses]): [string, number] => [word, models.filter(uses).length]);
  return {
    words: used.flatMap(([word, count]) =>
      count === 0 ? [] : [`${word} (${count === 1 ? '1 model' : `${count} models`})`],
    ),
  };
}
