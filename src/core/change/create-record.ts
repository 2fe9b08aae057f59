import type { Permissions } from '../access/permissions.ts';
import type { Failure } from '../api/failure.ts';
import { brokenRules } from '../api/problems.ts';
import { keyOfValues, storedValue } from '../model/joined-key.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import { stampsIn } from '../model/stamps.ts';
import type { Values } from '../rules/schema.ts';
import type { Row } from '../sql/statement.ts';
import { allOf, hastily } from './ahead.ts';
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
import type { UnitOfWork } from './unit-of-work.ts';

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
  const { model, writing, statements, hookRunner, service, bind } = parts;
  const { checks, made, moveStock, finish } = steps;
  const defaultsAt = defaultsOf(model);
  const slugs = slugsOf(model, writing.dialect);
  const authorize = draftAuthorization(parts, steps);
  const stamps = stampsIn(model.stamps);
  const hasHook = hookRunner.has('beforeCreate');

  return async (work, given, permissions) => {
    const { transaction } = work;
    const now = work.now().toISOString();
    const defaults = defaultsAt(evaluationOf(work));
    const values: Values = { ...defaults, ...withoutAbsent(given) };
    if (model.keyKind === 'uuid') values[model.key.member] ??= writing.runtime.uuid();
    for (const stamp of stamps) values[stamp.member] ??= now;
    const look = parts.lookUpsFor(permissions ?? service);
    const open = made.open(given);
    if (open.size > 0) {
      // What is worked out along a relation is worked out once its record is known to be there for them.
      refuse(await checks.draftFailures(work, values, {}, look, values, open));
      refuse((await made.fill(work, values, given)).failures);
    }
    joinKey(model, values);
    const filled = await slugs.fill(transaction, values, open);
    const insert = (): Promise<Row | undefined> =>
      transaction.first(
        statements.insert,
        statements.inserted.map((field) => bind(field, storedValue(values, field))),
      );
    const draft = { given, values, defaults, permissions };
    const plain = async (): Promise<Row | undefined> => {
      if (open.size > 0) refuse(checks.own(work, values));
      else await checks.draft(work, values, {}, look);
      await authorize(work, draft);
      await moveStock(work, [], values, insert);
      return asProblem(writing.graph, 'write', slugs.write(transaction, values, filled, insert));
    };
    // Nothing of what is written depends on the answers of the steps before: all of it takes one way to the database.
    let isNoted = false;
    const hasty = async (): Promise<Row | undefined> => {
      let inserting: ReturnType<typeof insert> | undefined;
      const inserted = (): ReturnType<typeof insert> => (inserting ??= insert());
      const written = async (): Promise<Row | undefined> => {
        await authorize(work, draft);
        const [moved, row] = [moveStock(work, [], values, inserted), inserted()];
        const noted = finish.noteAhead(work, values);
        isNoted = noted !== undefined;
        return (await allOf([moved, row, noted ?? moved]))[1];
      };
      const related = (): Promise<void> => checks.relatedFailures(work, values, {}, look).then(refuse);
      if (!look.areHeld) return (await hastily(allOf([related(), written()])))[1];
      return hastily(
        written().catch(async (error: unknown) => {
          // A record that it refers to may not be there, and that is what its client is told first.
          await related();
          throw error;
        }),
      );
    };
    // What its own values refuse must not even touch the stock.
    const mayGoAhead = work.isHasty && !hasHook && open.size === 0 && filled.size === 0;
    const isHasty = mayGoAhead && checks.own(work, values).length === 0;
    const row = await (isHasty ? hasty() : plain());
    return finish.written(work, row!, undefined, values, 'create', permissions, isNoted);
  };
}

/** A new record before it is written. */
interface Draft {
  readonly given: Values;
  /** With defaults; hooks add to them. */
  readonly values: Values;
  readonly defaults: Values;
  readonly permissions: Permissions | undefined;
}

/** What stands between a draft and its being written: whether its maker may, and what hooks say and set. */
function draftAuthorization(
  parts: ModelWriting,
  { checks, hashSecrets }: WriteSteps,
): (work: UnitOfWork, draft: Draft) => Promise<void> {
  const { model, links, hookRunner, service } = parts;
  const refuseMissing = missingValues(model);
  return async (work, { given, values, defaults, permissions }) => {
    links.arrange(values);
    const may = permissions && parts.writePermissionsFor(permissions);
    await may?.authorizeOwner(work, 'create', values, {});
    await may?.authorizeGiven(work, withoutAbsent(given), values, defaults);
    await may?.authorizeDraft(work, 'create', values);
    if (hookRunner.has('beforeCreate')) {
      const set = await hookRunner.draft('beforeCreate', work, values);
      Object.assign(values, await hashSecrets(withNulls(set)));
      joinKey(model, values);
      if (Object.keys(set).length > 0) {
        await checks.draft(work, values, {}, parts.lookUpsFor(service));
        await may?.authorizeDraft(work, 'create', values);
      }
    }
    refuseMissing(values);
  };
}

/** A key of several fields follows those. */
function joinKey({ key }: Model, values: Values): void {
  if (key.parts !== undefined) values[key.member] = keyOfValues(key, values) ?? null;
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
