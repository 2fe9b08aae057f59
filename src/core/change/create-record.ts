import type { Failure } from '../api/failure.ts';
import { brokenRules } from '../api/problems.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import type { Values } from '../rules/schema.ts';
import type { Row } from '../sql/statement.ts';
import { CodeError } from './code.ts';
import type { RecordChecks } from './check-record.ts';
import type { Changes } from './contract.ts';
import { defaultsOf } from './defaults.ts';
import type { FinishWrite } from './finish-write.ts';
import type { MadeDefaults } from './made-defaults.ts';
import type { ModelWriting } from './model-writing.ts';
import type { MoveStock } from './move-stock.ts';
import type { ChangeReader } from './read-change.ts';
import { asProblem } from './refusals.ts';
import { withoutAbsent } from './requested-values.ts';
import { slugsOf } from './slugs.ts';
import { evaluationOf } from './unit-of-work.ts';

/** The steps that creating and updating a record have in common. */
export interface WriteSteps {
  readonly checks: RecordChecks;
  readonly made: MadeDefaults;
  readonly readChange: ChangeReader;
  readonly moveStock: MoveStock;
  readonly finish: FinishWrite;
  hashSecrets: Changes['hashSecrets'];
}

export function recordCreator(parts: ModelWriting, steps: WriteSteps): Changes['create'] {
  const { model, writing, statements, links, hookRunner, service, bind } = parts;
  const { checks, made, moveStock, finish, hashSecrets } = steps;
  const defaultsAt = defaultsOf(model);
  const slugs = slugsOf(model, writing.dialect);
  const refuseMissing = missingValues(model);

  return async (work, given, permissions) => {
    const { transaction } = work;
    const now = work.now().toISOString();
    const defaults = defaultsAt(evaluationOf(work));
    const values: Values = { ...defaults, ...withoutAbsent(given) };
    if (model.keyKind === 'uuid') values[model.key.member] ??= writing.runtime.uuid();
    if (model.stamps) {
      values.created_at ??= now;
      values.updated_at ??= now;
    }
    const look = parts.lookUpsFor(permissions ?? service);
    const open = made.open(given);
    if (open.size > 0) {
      // What is worked out along a relation is worked out once its record is known to be there for them.
      refuse(await checks.draftFailures(work, values, {}, look, values, open));
      refuse((await made.fill(work, values, given)).failures);
    }
    const filled = await slugs.fill(transaction, values, open);
    if (open.size > 0) refuse(checks.own(work, values));
    else await checks.draft(work, values, {}, look);
    links.arrange(values);
    const may = permissions && parts.writePermissionsFor(permissions);
    await may?.authorizeOwner(work, 'create', values, {});
    await may?.authorizeGiven(work, withoutAbsent(given), values, defaults);
    await may?.authorizeDraft(work, 'create', values);
    if (hookRunner.has('beforeCreate')) {
      const set = await hookRunner.draft('beforeCreate', work, values);
      Object.assign(values, await hashSecrets(withNulls(set)));
      if (Object.keys(set).length > 0) {
        await checks.draft(work, values, {}, parts.lookUpsFor(service));
        await may?.authorizeDraft(work, 'create', values);
      }
    }
    refuseMissing(values);
    const insert = (): Promise<Row | undefined> =>
      transaction.first(
        statements.insert,
        statements.inserted.map((field) => bind(field, values[field.member])),
      );
    await moveStock(work, [], values, insert);
    const row = await asProblem(writing.graph, 'write', slugs.write(transaction, values, filled, insert));
    return finish.written(work, row!, undefined, values, 'create', permissions);
  };
}

function refuse(failures: readonly Failure[]): void {
  if (failures.length > 0) throw brokenRules(failures);
}

/** Throws where the project's code has set no value of a member that only it can set. */
function missingValues({ name, fields }: Model): (values: Values) => void {
  const owed = fields.filter(
    ({ rules, origin, derivedFrom }) =>
      origin === 'field' && rules.readOnly && rules.required && !rules.hasDefault && derivedFrom === undefined,
  );
  return (values) => {
    const missing = owed.find(({ member }) => (values[member] ?? null) === null);
    if (missing !== undefined)
      throw new CodeError(
        `${name}.beforeCreate`,
        `must set ${missing.member}, which is required and nobody else can set`,
      );
  };
}

/** What a hook took out of a draft is null. */
const withNulls = (values: Readonly<Record<string, FieldValue | undefined>>): Values =>
  Object.fromEntries(Object.entries(values).map(([member, value]) => [member, value ?? null]));
