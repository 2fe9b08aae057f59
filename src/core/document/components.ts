import type { JsonSchema } from './json-schema.ts';

export type ComponentKind = 'schemas' | 'responses' | 'parameters' | 'requestBodies' | 'headers' | 'securitySchemes';

export interface Ref {
  readonly $ref: string;
}

/**
 * What a document says once and refers to wherever it is needed. Something is in it because something refers to it, so
 * that nothing is unused.
 */
export interface Components {
  /** A reference to the component of this name; `make` makes it at the first use. */
  ref(kind: ComponentKind, name: string, make: () => JsonSchema): Ref;
  /** All components that were used, kind by kind, in the order of names. */
  all(): Record<string, Record<string, JsonSchema>>;
}

export function makeComponents(): Components {
  const kinds = new Map<ComponentKind, Map<string, JsonSchema>>();
  return {
    ref(kind, name, make) {
      let known = kinds.get(kind);
      if (known === undefined) kinds.set(kind, (known = new Map<string, JsonSchema>()));
      if (!known.has(name)) {
        // Its place is taken before it is made, because it may refer to itself.
        known.set(name, {});
        known.set(name, make());
      }
      return { $ref: `#/components/${kind}/${name}` };
    },
    all: () =>
      Object.fromEntries(
        [...kinds].sort(byName).map(([kind, known]) => [kind, Object.fromEntries([...known].sort(byName))]),
      ),
  };
}

const byName = ([one]: readonly [string, unknown], [other]: readonly [string, unknown]): number =>
  one < other ? -1 : 1;
