import { exampleValue } from '../../rules/examples.ts';
import { isSettable } from '../../rules/schema.ts';
import type { ValueSpec } from '../../model/field.ts';
import type { Model } from '../../model/model.ts';
import type { Answer, Fault } from '../answer.ts';
import { parameterText } from '../cql-text.ts';
import { faultOf } from '../judge.ts';
import { keyText, pathOf, queryOf } from '../paths.ts';
import type { Person } from '../world.ts';
import { describeRow, rowsFor } from './access-cases.ts';
import type { AccessCases } from './access-cases.ts';

/** A caller who may change the record cannot change a member that only others may set. */
export function deriveSetting(derivation: AccessCases, who: Person, as: string): void {
  const { model, world, says, oracle, add, named, graph } = derivation;
  for (const [member, grants] of model.access.set) {
    const field = model.byMember.get(member);
    if (field === undefined || !isSettable(field, 'update') || field.type === 'secret') continue;
    const row = world
      .rowsOf(model)
      .find((one) => says.expected(model, 'update', one, who) === 200 && !oracle.holds(grants, model, one, who.caller));
    if (row === undefined || !model.endpoints.has('update')) continue;
    const value = [1, 2, 3]
      .map((turn) => exampleValue(field, turn, []))
      .find((one) => one !== undefined && JSON.stringify(one) !== JSON.stringify(row[member]));
    if (value === undefined) continue;
    const ifMatch = model.conditional ? '*' : undefined;
    const status = who.caller === null ? 401 : 403;
    add('update', `${named(who)} may change ${describeRow(derivation, row, who)}, but not its ${member}: ${status}`, {
      method: 'PATCH',
      path: pathOf(graph, model, row),
      body: { [member]: value },
      ifMatch,
      as,
      expect: { status },
    });
  }
}

/** Whether somebody may make records shows before what they send is looked at. */
export function deriveMaking({ model, says, add, named, graph }: AccessCases, who: Person, as: string): void {
  if (!model.endpoints.has('create')) return;
  const status = says.barred(model, 'create', who);
  const expect = status === undefined ? { status: 422, statuses: [201, 409, 422] } : { status };
  add('create', `${named(who)} ${status === undefined ? 'may make one' : `may not make one: ${status}`}`, {
    method: 'POST',
    path: pathOf(graph, model),
    body: {},
    as,
    expect,
  });
}

/** Of records that a condition chooses, only those are deleted that the caller may read and delete. */
export function deriveDeletingMany(derivation: AccessCases, who: Person, as: string): void {
  const { model, says, oracle, world, add, named, graph } = derivation;
  if (!model.endpoints.has('clear')) return;
  const path = `${pathOf(graph, model)}?${model.key.member}=`;
  const bar = says.barred(model, 'clear', who);
  const rows = bar === undefined ? rowsFor(derivation, who) : world.rowsOf(model).slice(0, 1);
  for (const row of rows) {
    const may = oracle.may(model, 'read', row, who.caller) && oracle.may(model, 'clear', row, who.caller);
    const wanted = may ? 1 : 0;
    const expect = bar === undefined ? { status: 200, statuses: [200, ...(may ? [409] : [])] } : { status: bar };
    const check = (answer: Answer): readonly Fault[] => {
      const { deleted } = (answer.body as { data?: { deleted?: number } }).data ?? {};
      return answer.status !== 200 || deleted === wanted ? [] : [faultOf('how many were deleted', wanted, deleted)];
    };
    const title =
      bar === undefined
        ? `${named(who)} deletes ${wanted} where they choose ${describeRow(derivation, row, who)}`
        : `${named(who)} may not delete many: ${bar}`;
    add('clear', title, {
      method: 'DELETE',
      path: path + encodeURIComponent(keyText(model, row)),
      as,
      expect: { ...expect, ...(bar === undefined ? { check } : {}) },
    });
  }
}

export function deriveOperations(derivation: AccessCases, who: Person, as: string): void {
  const { model, says, named, add, graph } = derivation;
  for (const { name, target, reads, input } of model.operations) {
    const given = inputFor(input);
    const grants = model.access.operations.get(name) ?? [];
    const rows = target === 'record' ? rowsFor(derivation, who) : [undefined];
    const met = new Set<number>();
    for (const row of rows) {
      const status = says.operation(model, grants, row, who);
      if (met.has(status)) continue;
      met.add(status);
      const path = `${pathOf(graph, model, row)}/${name}`;
      if (status === 200) deriveInput(derivation, { name, reads, input }, path, as);
      // Of what comes of it, where it is allowed, its own code alone knows.
      const isIn = (answer: Answer): readonly Fault[] =>
        [401, 403, 404, 405].includes(answer.status) || answer.status >= 500
          ? [faultOf('the status', 'that they are let in', answer.status)]
          : [];
      const expect =
        status === 200
          ? { status: 200, statuses: [200, 201, 202, 204, 400, 409, 410, 412, 422, 423], check: isIn }
          : { status };
      const title = status === 200 ? `${named(who)} may ${name}` : `${named(who)} may not ${name}: ${status}`;
      add('operation', title, {
        method: reads ? 'GET' : 'POST',
        path: `${path}${reads ? queryFor(given) : ''}`,
        ...(reads ? {} : { body: given }),
        as,
        expect,
      });
    }
  }
}

/** Input that an operation needs is missed, whoever may call it. */
function deriveInput(
  { add, cases }: AccessCases,
  { name, reads, input }: Pick<Model['operations'][number], 'name' | 'reads' | 'input'>,
  path: string,
  as: string,
): void {
  for (const [member, { rules }] of input) {
    const title = `${name} without ${member} is refused`;
    if (!rules.required || rules.hasDefault || cases.some((one) => one.title === title)) continue;
    const { [member]: _left, ...rest } = inputFor(input);
    const error = { rule: 'required', pointer: `/${member}` };
    add('operation', title, {
      method: reads ? 'GET' : 'POST',
      path: reads ? path + queryFor(rest) : path,
      ...(reads ? {} : { body: rest }),
      as,
      expect: reads ? { status: 400 } : { status: 422, error },
    });
  }
}

/** Input that an operation needs, so that who may call it shows. */
const inputFor = (input: ReadonlyMap<string, ValueSpec>): Record<string, unknown> =>
  Object.fromEntries(
    [...input]
      .filter(([, { rules }]) => rules.required && !rules.hasDefault)
      .map(([name, spec]) => [name, spec.examples[0] ?? exampleValue(spec, 1, [])]),
  );

function queryFor(given: Readonly<Record<string, unknown>>): string {
  const parameters = Object.entries(given).map(([name, value]): [string, string] => [name, parameterText(value)]);
  return parameters.length === 0 ? '' : queryOf(Object.fromEntries(parameters));
}
