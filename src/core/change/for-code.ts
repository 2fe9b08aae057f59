import type { Model } from '../model/model.ts';
import type { Values } from '../rules/schema.ts';

/** A record as a project's code sees it: secrets never leave the store. */
export function forCode(model: Model, record: Values): Values {
  const secrets = model.fields.filter(({ type }) => type === 'secret');
  if (secrets.length === 0) return record;
  return Object.fromEntries(
    Object.entries(record).filter(([member]) => !secrets.some((secret) => secret.member === member)),
  );
}
