import type { IdentityDeclaration } from '../declaration/declarations.ts';
import type { Reporter } from '../declaration/reporter.ts';
import type { Field } from '../model/field.ts';
import type { Identity } from '../model/identity.ts';
import { didYouMean } from '../text/nearest.ts';
import type { Draft, Drafts } from './model-draft.ts';
import { codeSettings, secretSettings } from './accounts.ts';
import { milliseconds } from './service-settings.ts';

/** Who may sign in, with every name resolved; undefined if nobody may, or if it is wrong, which is reported. */
export function resolveIdentity(
  declared: IdentityDeclaration | undefined,
  drafts: Drafts,
  report: Reporter,
): Identity | undefined {
  if (declared?.model === undefined) return undefined;
  const draft = drafts.get(declared.model);
  if (draft === undefined) {
    const message = `there is no model ${declared.model}`;
    if (!drafts.lost.has(declared.model))
      report.error('unknown-model', message, didYouMean(declared.model, drafts.keys()), ['model']);
    return undefined;
  }
  if (draft.key.parts !== undefined) {
    const message = `${declared.model} has a key of several fields, which names no caller`;
    report.error('wrong-identity', message, 'take a model with a key of one', ['model']);
  }
  const fieldAt = (key: 'login' | 'secret' | 'roles' | 'subject'): Field | undefined => {
    const name = declared[key];
    if (name === undefined) return undefined;
    const field = draft.declared.get(name);
    if (field === undefined) {
      const message = `${declared.model} has no field \`${name}\``;
      report.error('unknown-field', message, didYouMean(name, draft.declared.keys()), [key]);
    }
    return field;
  };
  const [login, secret, subject, roles] = [fieldAt('login'), fieldAt('secret'), fieldAt('subject'), fieldAt('roles')];
  const outside = declared.subject !== undefined || declared.tokens?.jwks !== undefined;
  if (outside) checkOutside(declared, report);
  else checkOwn(declared, report);
  checkUnique(login, 'login', draft, report);
  checkUnique(subject, 'subject', draft, report);
  if (secret !== undefined && secret.type !== 'secret') {
    const message = `\`${secret.member}\` is a ${secret.type}, and would be kept and shown as it is`;
    report.error('wrong-identity', message, `give ${declared.model}.${secret.member} the type secret`, ['secret']);
  }
  return {
    model: declared.model,
    login: outside ? undefined : login,
    secret: outside ? undefined : secret,
    subject,
    roles: checkedRoles(roles, report),
    roleNames: roleNames(roles),
    secrets: secretSettings(declared),
    codes: codeSettings(declared, draft, report),
    lifetime: milliseconds(declared.tokens?.lifetime ?? '1h') / 1000,
    refresh: refreshOf(declared, report),
    issuer: outside ? issuerOf(declared, draft, report) : undefined,
  };
}

function checkOwn(declared: IdentityDeclaration, report: Reporter): void {
  for (const key of ['login', 'secret'] as const) {
    if (Object.hasOwn(declared, key)) continue;
    const remedy =
      key === 'login'
        ? 'name the unique field that callers sign in by: login: email'
        : 'name the field of type secret: secret: passphrase';
    report.error('missing-key', `identity needs \`${key}\``, remedy, ['model'], 'key');
  }
  for (const key of ['issuer', 'audience', 'create'] as const) {
    if (declared.tokens === undefined || !Object.hasOwn(declared.tokens, key)) continue;
    const message = `\`${key}\` is for tokens of an outside issuer`;
    report.error('wrong-identity', message, 'name its keys as jwks, or leave it out', ['tokens', key], 'key');
  }
}

function checkOutside(declared: IdentityDeclaration, report: Reporter): void {
  for (const key of ['login', 'secret'] as const) {
    if (declared[key] === undefined) continue;
    const message = `with an outside issuer nobody signs in here, so there is no \`${key}\``;
    report.error('wrong-identity', message, 'leave it out', [key], 'key');
  }
  if (declared.subject === undefined) {
    report.error(
      'missing-key',
      'identity needs `subject`',
      "name the unique field that equals a token's sub",
      ['model'],
      'key',
    );
  }
  for (const key of ['secrets', 'codes'] as const) {
    if (declared[key] === undefined) continue;
    const message = `with an outside issuer nobody has a secret here, so there are no \`${key}\``;
    report.error('wrong-identity', message, 'leave it out', [key], 'key');
  }
  for (const key of ['jwks', 'issuer', 'audience'] as const) {
    if (declared.tokens?.[key] !== undefined) continue;
    const remedy = `write tokens: { ${key}: … }`;
    report.error('missing-key', `an outside issuer needs \`tokens.${key}\``, remedy, ['model'], 'key');
  }
  for (const key of ['lifetime', 'refresh'] as const) {
    if (declared.tokens?.[key] === undefined) continue;
    const message = 'the issuer says how long its tokens are good';
    report.error('wrong-identity', message, 'leave it out', ['tokens', key], 'key');
  }
}

/** A refresh token is there for when the token beside it is over. */
function refreshOf({ tokens }: IdentityDeclaration, report: Reporter): number | undefined {
  if (tokens?.refresh === undefined) return undefined;
  const [lifetime, refresh] = [tokens.lifetime ?? '1h', tokens.refresh].map((text) => milliseconds(text) / 1000);
  if (refresh! <= lifetime!) {
    const message = `a refresh token is good for ${tokens.refresh}, and a token for ${tokens.lifetime ?? '1h'}`;
    report.error('wrong-identity', message, 'give refresh the longer time', ['tokens', 'refresh']);
  }
  return refresh;
}

/** Two members with one login would be one caller. */
function checkUnique(
  field: Field | undefined,
  key: 'login' | 'subject',
  { declaration }: Draft,
  report: Reporter,
): void {
  if (field === undefined) return;
  const alone = declaration.fields?.[field.member]?.unique === true;
  const inSet = (declaration.unique ?? []).some((set) => set.length === 1 && set[0] === field.member);
  if (!alone && !inSet && declaration.key !== field.member) {
    const message = `\`${field.member}\` is not unique, so it can not tell callers apart`;
    report.error('wrong-identity', message, `give ${declaration.model}.${field.member} unique: true`, [key]);
  }
  if (key === 'login' && !field.rules.required) {
    const message = `\`${field.member}\` may be null, and nobody could sign in as such a ${declaration.model}`;
    report.error('wrong-identity', message, `give ${declaration.model}.${field.member} required: true`, [key]);
  }
}

/** Roles are a text, or a list of texts. */
function checkedRoles(field: Field | undefined, report: Reporter): Field | undefined {
  if (field === undefined) return undefined;
  const of = field.type === 'array' ? field.items?.type : field.type;
  if (of === 'string') return field;
  const message = `\`${field.member}\` holds no names of roles`;
  report.error('wrong-identity', message, 'give it the type array, with items: { enum: [walker, steward] }', ['roles']);
  return undefined;
}

function roleNames(field: Field | undefined): readonly string[] | undefined {
  const words = field?.type === 'array' ? field.items?.rules.enum : field?.rules.enum;
  return words?.map(String);
}

function issuerOf(declared: IdentityDeclaration, draft: Draft, report: Reporter): Identity['issuer'] {
  const { jwks = '', issuer = '', audience = '', create } = declared.tokens ?? {};
  if (create === undefined) return { jwks, issuer, audience };
  const claims = new Map<Field, string>();
  for (const [name, claim] of Object.entries(create)) {
    const field = draft.declared.get(name);
    if (field === undefined) {
      const message = `${declared.model} has no field \`${name}\``;
      report.error(
        'unknown-field',
        message,
        didYouMean(name, draft.declared.keys()),
        ['tokens', 'create', name],
        'key',
      );
    } else if (claim !== undefined) claims.set(field, claim);
  }
  const missing = [...draft.declared.values()].filter(
    (field) =>
      field.rules.required && !field.rules.hasDefault && field.member !== declared.subject && !claims.has(field),
  );
  if (missing.length > 0) {
    const names = missing.map(({ member }) => member).join(', ');
    const message = `a ${declared.model} needs ${names}, which no claim gives`;
    report.error('wrong-identity', message, 'map each to a claim, or give it a default', ['tokens', 'create'], 'key');
  }
  return { jwks, issuer, audience, create: claims };
}
