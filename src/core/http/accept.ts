import Negotiator from 'negotiator';

/** Whether a client that sent this Accept header takes JSON. */
export function acceptsJson(accept: string | string[] | undefined): boolean {
  if (accept === undefined || accept === '*/*' || accept === 'application/json') return true;
  const negotiator = new Negotiator({ headers: { accept: String(accept) } });
  return negotiator.mediaType(['application/json']) !== undefined;
}
