/** The events that a hook may handle. */
export const hookNames = [
  'beforeCreate',
  'afterCreate',
  'beforeUpdate',
  'afterUpdate',
  'beforeDelete',
  'afterDelete',
  'afterCommit',
] as const;

export type HookName = (typeof hookNames)[number];

export type Hook = (...given: never[]) => unknown;

export interface Hooks {
  readonly kind: 'hooks';
  readonly model: string;
  readonly handlers: Readonly<Partial<Record<HookName, Hook>>>;
}

/**
 * Names the hooks of a model, in `code/<model>.hooks.ts`. A name that is no hook is an error here and now.
 *
 * @example
 * export default hooks('stay', { async beforeCreate(draft) { … } });
 */
export function hooks(model: string, handlers: Hooks['handlers']): Hooks {
  const strange = Object.keys(handlers).find((name) => !(hookNames as readonly string[]).includes(name));
  if (strange !== undefined) throw new TypeError(`${model} has no hook ${strange}; known: ${hookNames.join(', ')}`);
  return Object.freeze({ kind: 'hooks', model, handlers: Object.freeze({ ...handlers }) });
}
