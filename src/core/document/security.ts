import type { Documented } from './documented.ts';
import type { JsonSchema } from './json-schema.ts';

/** One of several ways to be allowed. OpenAPI lets it name what it takes beside a token. */
type Requirement = Readonly<Record<string, readonly string[]>>;

export const OPEN: Requirement = {};
export const SIGNED_IN: Requirement = { token: [] };
export const requirement = (grant: string): Requirement => ({ token: [grant] });

/** The security of an endpoint: any one of these. Nothing where nobody signs in to the service. */
export function securityOf({ components, graph }: Documented, ways: readonly Requirement[]): JsonSchema {
  const { identity, service } = graph;
  if (identity === undefined) return {};
  if (ways.some((way) => 'token' in way)) {
    components.ref('securitySchemes', 'token', () => {
      const from =
        identity.issuer === undefined ? `From POST ${service.prefix}/tokens.` : `From ${identity.issuer.issuer}.`;
      const about =
        `${from} What a requirement names beside it is a role, or ` + 'what leads from the record to the caller.';
      return { type: 'http', scheme: 'bearer', bearerFormat: 'JWT', description: about };
    });
  }
  return { security: ways };
}
