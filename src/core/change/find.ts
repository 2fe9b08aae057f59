import { clientScope } from '../access/client-scope.ts';
import { permissionsFor } from '../access/permissions.ts';
import { SERVICE } from '../access/viewer.ts';
import type { ParameterFailure } from '../api/problems.ts';
import type { EvaluationContext } from '../expression/context.ts';
import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { canonical } from '../model/value.ts';
import { boundsOf } from '../query/bounds.ts';
import { compileCondition, filterReader } from '../query/filter.ts';
import type { ListForm } from '../query/list-form.ts';
import { listStatements } from '../query/list-statement.ts';
import { storedOf } from '../query/projection.ts';
import { sortReader } from '../query/sort.ts';
import { storedStatement } from '../query/statements.ts';
import type { Values } from '../rules/schema.ts';
import type { Dialect } from '../sql/dialect.ts';
import { parametersOf } from '../sql/parameters.ts';
import type { Reader } from '../store/contract.ts';
import { didYouMean } from '../text/nearest.ts';
import { forCode } from './for-code.ts';

/** Which records: those with these values (an array for any of several), or a condition in CQL2. */
export type Where = Readonly<Record<string, FieldValue>> | string;

export interface FindOptions {
  /** The same as `sort` in requests: `-altitude_m,name`. */
  readonly sort?: string;
  readonly limit?: number;
  /** How many records are skipped. */
  readonly offset?: number;
}

/** Finds records of one model, for a project's own code. */
export interface Finder {
  find(
    reader: Reader,
    evaluation: EvaluationContext,
    where: Where | undefined,
    options: FindOptions,
  ): Promise<Values[]>;
  count(reader: Reader, evaluation: EvaluationContext, where: Where | undefined): Promise<number>;
  byKey(reader: Reader, key: Scalar): Promise<Values | undefined>;
}

/** The limit of `find` without a limit; more records are an error, because they would be missing without notice. */
const USUAL_LIMIT = 1_000;
const MOST = 10_000;
const KEPT = 200;

export function finderOf(graph: Graph, model: Model, dialect: Dialect): Finder {
  const scope = clientScope(permissionsFor(graph, SERVICE), model);
  const readFilter = filterReader(scope);
  const readSort = sortReader(graph, model, dialect, scope);
  const listed = { graph, model, bounds: boundsOf(graph, model), dialect };
  const projection = storedOf(model);
  const statementOf = listStatements(listed, KEPT);
  const stored = storedStatement(graph, model, dialect, false);

  function formOf(where: Where = {}, sort: string | undefined): ListForm {
    const failures: ParameterFailure[] = [];
    const { texts, filters } = typeof where === 'string' ? { texts: [where], filters: [] } : equalities(model, where);
    const text = texts.length === 0 ? undefined : texts.map((one) => `(${one})`).join(' AND ');
    const condition = text === undefined ? undefined : readFilter(text, undefined, failures);
    const parameters = parametersOf<EvaluationContext>(dialect);
    const filter = condition && compileCondition(graph, model, dialect, condition, parameters);
    const order = readSort(sort, parameters, failures);
    const [first] = failures;
    if (first !== undefined) throw new TypeError(`find of ${model.name}: ${first.parameter} ${first.detail}`);
    return { projection, sort: order, filters, filter, parameters, backward: false };
  }

  return {
    async find(reader, evaluation, where, { sort, limit = USUAL_LIMIT, offset }) {
      if (!Number.isInteger(limit) || limit < 1 || limit > MOST) {
        throw new TypeError(`find of ${model.name}: limit must be a whole number from 1 to ${MOST}`);
      }
      const form = { ...formOf(where, sort), offset };
      const statement = statementOf(form);
      const row = await reader.first(statement, statement.values({ ...evaluation, form, limit }));
      const records = JSON.parse(`[${String(row![0] ?? '')}]`) as Values[];
      if (records.length > limit && limit === USUAL_LIMIT) {
        throw new RangeError(
          `find of ${model.name}: more than ${limit} records; say a limit, and go on with an offset`,
        );
      }
      return records.slice(0, limit).map((record) => forCode(model, record));
    },

    async count(reader, evaluation, where) {
      const form = { ...formOf(where, undefined), total: true };
      const statement = statementOf(form);
      const row = await reader.first(statement, statement.values({ ...evaluation, form, limit: 0 }));
      return Number(row![4]);
    },

    async byKey(reader, key) {
      const read = canonical(model.key, key);
      if ('fault' in read) return undefined;
      const row = await reader.first(stored, [dialect.bind(model.key, read.value)]);
      return row === undefined ? undefined : forCode(model, JSON.parse(String(row[0])) as Values);
    },
  };
}

/** Values that members must have; nulls are conditions of their own. */
function equalities(
  model: Model,
  where: Readonly<Record<string, FieldValue>>,
): { texts: string[]; filters: { field: Field; values: FieldValue[] }[] } {
  const texts: string[] = [];
  const filters: { field: Field; values: FieldValue[] }[] = [];
  for (const [member, given] of Object.entries(where)) {
    const field = model.shownByMember.get(member);
    if (field === undefined) {
      const remedy = didYouMean(member, model.shownByMember.keys());
      throw new TypeError(`find of ${model.name}: there is no field ${member}; ${remedy}`);
    }
    const wanted = Array.isArray(given) ? (given as FieldValue[]) : [given];
    if (wanted.length === 1 && wanted[0] === null) {
      texts.push(`${member} IS NULL`);
      continue;
    }
    // None of no values.
    if (wanted.length === 0) texts.push('1 = 0');
    const values = wanted.map((value) => {
      const read = canonical(field, value);
      if ('value' in read) return read.value;
      throw new TypeError(`find of ${model.name}: ${member} ${read.fault.detail}`);
    });
    if (values.length > 0) filters.push({ field, values });
  }
  return { texts, filters };
}

/**
 * A condition in CQL2 with values in it, which stand as literals whatever they hold.
 *
 * @example
 * scope.model('night').find(cql`hut_id = ${hut} AND date >= ${from}`);
 */
export function cql(texts: TemplateStringsArray, ...values: readonly (string | number | boolean)[]): string {
  return texts.reduce((all, text, at) => all + literal(values[at - 1]!) + text);
}

function literal(value: string | number | boolean): string {
  if (typeof value === 'string') return `'${value.replaceAll("'", "''")}'`;
  if (typeof value === 'number' && !Number.isFinite(value)) throw new TypeError(`${value} is no value of a condition`);
  return String(value);
}
