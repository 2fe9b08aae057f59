import type { IdentityDeclaration } from '../declaration/declarations.ts';
import type { Reporter } from '../declaration/reporter.ts';
import type { CodeSettings, SecretSettings } from '../model/identity.ts';
import { didYouMean } from '../text/nearest.ts';
import type { Draft } from './model-draft.ts';
import { milliseconds } from './service-settings.ts';

/** What a new secret takes. */
export function secretSettings({ secrets }: IdentityDeclaration): SecretSettings {
  const refuses = (what: 'login' | 'common'): boolean => secrets?.refuse?.includes(what) === true;
  return {
    wantsOld: secrets?.old === 'required',
    refusesLogin: refuses('login'),
    refusesCommon: refuses('common'),
  };
}

/** The codes that are sent to callers; undefined where there are none, or where they are wrong, which is reported. */
export function codeSettings(
  { model, login, subject, codes }: IdentityDeclaration,
  draft: Draft,
  report: Reporter,
): CodeSettings | undefined {
  if (codes === undefined || subject !== undefined) return undefined;
  const below = report.below('codes');
  if (codes.verify === undefined && codes.reset === undefined) {
    const message = 'no codes are sent: neither `verify` nor `reset` says how long one is good';
    below.error('missing-key', message, 'write verify: 24h, or reset: 30min', [], 'key');
  }
  if (login === undefined && codes.to === undefined) return undefined;
  const name = codes.to ?? login!;
  const to = draft.declared.get(name);
  const place = codes.to === undefined ? [] : ['to'];
  if (to === undefined) {
    const message = `${model} has no field \`${name}\``;
    if (codes.to !== undefined) below.error('unknown-field', message, didYouMean(name, draft.declared.keys()), place);
    return undefined;
  }
  if (to.type !== 'email') {
    const message = `\`${name}\` is a ${to.type}, and codes are sent to an address`;
    below.error('wrong-identity', message, 'name a field of type email: codes: { to: email, … }', place);
    return undefined;
  }
  if (draft.declaration.fields?.[name]?.unique !== true && draft.declaration.key !== name) {
    const message = `\`${name}\` is not unique, so a code would be of more than one ${model}`;
    below.error('wrong-identity', message, `give ${model}.${name} unique: true`, place);
  }
  const seconds = (time: string | undefined): number | undefined =>
    time === undefined ? undefined : milliseconds(time) / 1000;
  return { to, verify: seconds(codes.verify), reset: seconds(codes.reset), link: codes.link };
}
