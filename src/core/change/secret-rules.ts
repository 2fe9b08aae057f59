import { pointerTo } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import type { Values } from '../rules/schema.ts';

/** What is wrong with a new secret among values; `record` has the login where they do not. */
export type SecretRules = (values: Values, record?: Values) => Promise<readonly Failure[]>;

const NONE: readonly Failure[] = [];
const noRules: SecretRules = () => Promise.resolve(NONE);

/** The rules of the identity for secrets, beyond those of the field. */
export function secretRules({ identity }: Graph, model: Model): SecretRules {
  const { login, secret, secrets } = identity ?? {};
  if (identity?.model !== model.name || login === undefined || secret === undefined) return noRules;
  if (secrets?.refusesLogin !== true && secrets?.refusesCommon !== true) return noRules;
  const pointer = pointerTo(secret.member);
  return async (values, record = {}) => {
    const text = values[secret.member];
    if (typeof text !== 'string') return NONE;
    const failures: Failure[] = [];
    if (secrets.refusesLogin && isLogin(text, values[login.member] ?? record[login.member]))
      failures.push({ pointer, rule: 'login', detail: `must not be the ${login.member}` });
    if (secrets.refusesCommon && (await isCommon(text))) {
      failures.push({ pointer, rule: 'common', detail: 'is one of the 10 000 most common; choose another' });
    }
    return failures;
  };
}

/** Whether a secret is one of the most common, in any letters. Their list is long, and loaded when first needed. */
const isCommon = async (secret: string): Promise<boolean> =>
  (await import('../identity/common-list.ts')).commonSecrets.has(secret.toLowerCase());

/** Whether a secret is a login, or the part of an address before its @, in any letters. */
function isLogin(secret: string, login: FieldValue | undefined): boolean {
  if (typeof login !== 'string') return false;
  const [plain, known] = [secret, login].map((text) => text.normalize('NFKC').trim().toLowerCase());
  return plain === known || plain === known!.split('@')[0];
}
