import type { Caller } from '../expression/context.ts';
import { VERIFIED } from '../model/access.ts';
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

/** Who sends a request, as a project's code sees them. */
export interface CodeCaller extends Caller {
  /** Whether a code has proved their address. */
  readonly verified: boolean;
}

export const callerForCode = (caller: Caller | null): CodeCaller | null =>
  caller && {
    key: caller.key,
    roles: caller.roles.filter((role) => role !== VERIFIED),
    verified: caller.roles.includes(VERIFIED),
  };
