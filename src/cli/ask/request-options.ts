import { usualType } from '../../core/api/media-types.ts';
import type { Arguments } from '../command.ts';
import { readBody, readHeaders, readMethod, readPath, withAnyKey, withKeys, withKeysInside } from './request.ts';
import type { Desk, SentRequest } from './session.ts';

/** A request as it stands on a command line. */
export interface WrittenRequest {
  readonly method: string;
  readonly path: string;
  readonly body: string | undefined;
  readonly as: string | undefined;
  readonly headers: Readonly<Record<string, string>>;
}

/** Reads a request before anything is opened for it. */
export const writtenRequest = ({ method, path, body, as, H }: Arguments): WrittenRequest => ({
  method: readMethod(method as string),
  path: readPath(path as string),
  body: readBody(body as string | undefined),
  as: as as string | undefined,
  headers: readHeaders((H as string[] | undefined) ?? []),
});

/** The same with keys in the places of samples, or of `{id}`, with its type, and signed. */
export async function sentRequest({ project, store, tokenFor }: Desk, written: WrittenRequest): Promise<SentRequest> {
  const { method, path, body, as, headers } = written;
  const { graph } = project;
  return {
    method,
    target: await withAnyKey(graph, store, await withKeys(graph, store, path)),
    headers: {
      ...(body === undefined ? {} : { 'content-type': usualType(method) }),
      ...(as === undefined ? {} : { authorization: `Bearer ${await tokenFor(as)}` }),
      ...headers,
    },
    body: body && (await withKeysInside(graph, store, body)),
  };
}
