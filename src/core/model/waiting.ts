import type { Graph, Model } from './graph.ts';
import type { ModelDeclaration, ServiceDeclaration } from './declarations.ts';

/**
 * The words of the language that are read and checked, and that this version doesn't put to work yet. They are told
 * each time, and a service that leaves out who may do what is served to its own machine alone.
 */
export interface Waiting {
  /** `may (9 models)`, in the order of the language. */
  readonly words: readonly string[];
  /** Whether grants were declared that nothing applies. */
  readonly access: boolean;
}

const inModels: readonly (readonly [string, (model: Model, declared: ModelDeclaration) => boolean])[] = [
  ['label', ({ label }) => label !== undefined],
  ['owner', (_model, { owner }) => owner !== undefined],
  ['may', (_model, { may }) => may !== undefined],
  ['trial.skip', ({ trial }) => trial.skip.length > 0],
];

/** Limits that something keeps to by now. */
const KEPT_LIMITS = ['body', 'read', 'transaction', 'cascade', 'queue'];

export function waitingIn(
  graph: Graph,
  declared: ServiceDeclaration,
  declarations: ReadonlyMap<string, ModelDeclaration>,
): Waiting {
  const { service, identity } = graph;
  const limits = Object.keys(declared.limits ?? {}).filter((limit) => !KEPT_LIMITS.includes(limit));
  const ofService: [string, boolean][] = [
    ['identity', identity !== undefined],
    ...limits.map((limit): [string, boolean] => [`limits.${limit}`, true]),
    ['cors', service.origins.length > 0],
    ['proxies', service.proxies.length > 0],
  ];
  const ofModels = inModels.map(([word, uses]): [string, number] => [
    word,
    graph.models.filter((model) => uses(model, declarations.get(model.name) ?? { model: model.name })).length,
  ]);
  return {
    words: [
      ...ofService.flatMap(([word, used]) => (used ? [word] : [])),
      ...ofModels.flatMap(([word, count]) => (count === 0 ? [] : [`${word} (${count === 1 ? '1 model' : `${count} models`})`])), // prettier-ignore
    ],
    access: identity !== undefined || [...declarations.values()].some(({ may }) => may !== undefined),
  };
}
