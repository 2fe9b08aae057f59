export type OperationCode = (input: never, scope: never) => unknown;

export interface Operation {
  readonly kind: 'operation';
  readonly model: string;
  readonly name: string;
  readonly code: OperationCode;
}

/**
 * Gives an operation its code, in `code/<model>.<operation>.ts`. A name that is not of that form is an error here and
 * now.
 *
 * @example
 * export default operation('hut.book', async (input, scope) => { … });
 */
export function operation(name: string, code: OperationCode): Operation {
  const [, model, verb] = /^([a-z][a-z0-9-]*)\.([a-z][a-z0-9-]*)$/.exec(name) ?? [];
  if (model === undefined || verb === undefined) {
    throw new TypeError(`an operation is named <model>.<operation>, as in hut.book; got ${name}`);
  }
  return Object.freeze({ kind: 'operation', model, name: verb, code });
}
