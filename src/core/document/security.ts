import type { Documented } from './documented.ts';
import type { JsonSchema } from './json-schema.ts';

/** Whether a request carries a token: always, if its sender has one, or never. */
export type Signed = 'required' | 'optional' | 'none';

/** The security of an endpoint; nothing where nobody signs in to the service. */
export function securityRef({ components, graph }: Documented, signed: Signed): JsonSchema {
  const { identity, service } = graph;
  if (identity === undefined) return {};
  if (signed === 'none') return { security: [] };
  components.ref('securitySchemes', 'token', () => {
    const from = identity.issuer === undefined ? `From POST ${service.prefix}/tokens.` : `From ${identity.issuer.issuer}.`; // prettier-ignore
    return { type: 'http', scheme: 'bearer', bearerFormat: 'JWT', description: from };
  });
  return { security: [...(signed === 'optional' ? [{}] : []), { token: [] }] };
}
