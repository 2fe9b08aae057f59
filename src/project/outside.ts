import { readFileSync, statSync } from 'node:fs';
import { resolve } from 'node:path';
import { createLocalJWKSet, createRemoteJWKSet } from 'jose';
import type { JSONWebKeySet, JWTVerifyGetKey } from 'jose';
import { makeOutsideTokens } from '../core/identity/tokens.ts';
import type { OutsideTokens } from '../core/identity/tokens.ts';
import { EXIT, Failure } from './failure.ts';
import type { SoundProject } from './project.ts';

/**
 * How the tokens of a project's outside issuer are read; undefined where it has none. Its keys are had from an address
 * or a file.
 */
export function outsideTokens({ graph, folder }: SoundProject): OutsideTokens | undefined {
  const issuer = graph.identity?.issuer;
  if (issuer === undefined) return undefined;
  const keys = /^https?:/.test(issuer.jwks)
    ? createRemoteJWKSet(new URL(issuer.jwks))
    : keysIn(resolve(folder, issuer.jwks), issuer.jwks);
  return makeOutsideTokens(issuer.issuer, issuer.audience, keys);
}

/** The keys in a file, which is read again once it has changed. */
function keysIn(path: string, shown: string): JWTVerifyGetKey {
  let readAt = -1;
  let keys: JWTVerifyGetKey;
  const refresh = (): void => {
    const { mtimeMs } = statSync(path);
    if (mtimeMs === readAt) return;
    keys = createLocalJWKSet(JSON.parse(readFileSync(path, 'utf8')) as JSONWebKeySet);
    readAt = mtimeMs;
  };
  try {
    refresh();
  } catch (error) {
    const remedy = 'write a JSON Web Key Set (RFC 7517) there, or name its address';
    throw new Failure(
      EXIT.foundWrong,
      `the keys of the issuer can not be read from ${shown}: ${(error as Error).message}`,
      remedy,
    );
  }
  return async (header, token) => {
    try {
      refresh();
    } catch {
      // A file that is being replaced is read the next time.
    }
    return keys(header, token);
  };
}
