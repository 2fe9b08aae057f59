import { usualType } from '../../core/api/media-types.ts';
import type { Arguments } from '../command.ts';
import {
  readBody,
  readHeaders,
  readMethod,
  readPath,
  withAnyKey,
  withCodes,
  withKeys,
  withKeysInside,
} from './request.ts';
import type { SentRequest, Session } from './session.ts';

/** A request as given on a command line. */
export interface RequestOptions {
  readonly method: string;
  readonly path: string;
  readonly body: string | undefined;
  readonly as: string | undefined;
  readonly headers: Readonly<Record<string, string>>;
}

/** Reads a request before anything is opened for it. */
export const readRequestOptions = ({ method, path, body, as, H }: Arguments): RequestOptions => ({
  method: readMethod(method as string),
  path: readPath(path as string),
  body: readBody(body as string | undefined),
  as: as as string | undefined,
  headers: readHeaders((H as string[] | undefined) ?? []),
});

/** The same with keys in the places of samples, or of `{id}`, with its type, and signed. */
export async function sentRequest(
  { project, store, tokenFor }: Session,
  written: RequestOptions,
): Promise<SentRequest> {
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
    body: body && withCodes(project.folder, await withKeysInside(graph, store, body)),
  };
}
