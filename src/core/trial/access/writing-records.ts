import { exampleValue } from '../../rules/examples.ts';
import { isSettable } from '../../rules/schema.ts';
import type { Answer, Fault } from '../answer.ts';
import { faultOf } from '../judge.ts';
import { pathOf } from '../paths.ts';
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
    add('update', `${named(who)} may change ${describeRow(derivation, row, who)}, but not its ${member}: 403`, {
      method: 'PATCH',
      path: pathOf(graph, model, row),
      body: { [member]: value },
      ifMatch,
      as,
      expect: { status: 403 },
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

export function deriveOperations(derivation: AccessCases, who: Person, as: string): void {
  const { model, says, named, add, graph } = derivation;
  for (const { name, target, reads } of model.operations) {
    const grants = model.access.operations.get(name) ?? [];
    const rows = target === 'record' ? rowsFor(derivation, who) : [undefined];
    const met = new Set<number>();
    for (const row of rows) {
      const status = says.operation(model, grants, row, who);
      if (met.has(status)) continue;
      met.add(status);
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
        path: `${pathOf(graph, model, row)}/${name}`,
        ...(reads ? {} : { body: {} }),
        as,
        expect,
      });
    }
  }
}
