import type { FieldLine } from '../../core/declaration/field-line.ts';
import type { Source } from '../../core/declaration/declared.ts';
import { EXIT, Failure } from '../../project/failure.ts';

/** Fields of those who sign in: each is left as it is where it was given. */
const FIELDS: readonly FieldLine[] = [
  { name: 'email', field: { type: 'email', required: true, unique: true, trim: true, letters: 'lower' } },
  { name: 'passphrase', field: { type: 'secret', required: true, minLength: 12 } },
  { name: 'roles', field: { type: 'array', items: { enum: ['admin'] }, default: [] } },
];

export const withIdentityFields = (lines: readonly FieldLine[]): FieldLine[] => [
  ...lines,
  ...FIELDS.filter(({ name }) => !lines.some((line) => line.name === name)),
];

/** Who may do what with their records. */
export const IDENTITY_MAY = {
  read: ['owner', 'role:admin'],
  create: 'anybody',
  update: ['owner', 'role:admin'],
  delete: 'owner',
  set: { roles: 'role:admin' },
} as const;

/** The service's file with the model declared as that of those who sign in. */
export function withIdentity({ file, text }: Source, model: string): Source {
  const block = [
    '# Who signs in: POST /tokens takes an email and a passphrase, and gives a token.',
    'identity:',
    `  model: ${model}`,
    '  login: email',
    '  secret: passphrase',
    '  roles: roles',
    '  tokens: { lifetime: 15min, refresh: 30d }',
    '  secrets: { old: required, refuse: [login, common] }',
    `  # They go into .vantfell/mail until code/${model}.messages.ts sends them.`,
    '  codes: { verify: 24h, reset: 30min }',
    '',
  ].join('\n');
  if (/^\s*\{/.test(text)) {
    const remedy = `add "identity": { "model": "${model}", "login": "email", "secret": "passphrase" } to it by hand`;
    throw new Failure(EXIT.foundWrong, `${file} is JSON, which this does not write into`, remedy);
  }
  return { file, text: `${text.trimEnd()}\n\n${block}` };
}
