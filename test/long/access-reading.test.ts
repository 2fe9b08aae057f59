import { expect, test } from '@jest/globals';
import { actsOnRecords, grantsOf } from '../../src/core/access/condition.ts';
import { fieldExpression } from '../../src/core/expression/property.ts';
import type { Expression } from '../../src/core/model/expression.ts';
import { modelOf } from '../../src/core/model/graph.ts';
import type { Model } from '../../src/core/model/model.ts';
import { linkedOf, relatedNames, stepCalled, viaCalled } from '../../src/core/model/related.ts';
import type { FieldValue } from '../../src/core/model/scalar.ts';
import { isScalar } from '../../src/core/model/types.ts';
import type { Row } from '../../src/core/trial/oracle/world-state.ts';
import { keyText, queryOf } from '../../src/core/trial/paths.ts';
import type { Person } from '../kit/asked.ts';
import { keysText, onEachProject, textOf } from '../kit/matrix.ts';

const MOST = 100;
/** Records of a model whose relations are asked for. */
const SAMPLED = 7;

onEachProject('who sees what', (matrix) => {
  const { ask, barred, expected, isAsSeen, nameOf, pages, path, readable, sampled, tell } = matrix;

  test('lists: the records that a caller may read, each with the members that they may see', async () => {
    for (const model of matrix.on.graph.models) {
      for (const who of matrix.on.people) {
        const bar = barred(model, 'read', who);
        const first = await ask(who, 'GET', `${path(model)}?limit=1`);
        tell(first.status !== (bar ?? 200), nameOf(who, `list of ${model.name} is ${first.status}`));
        if (first.status !== 200) continue;
        const wanted = new Map(readable(model, who).map((row) => [row[model.key.member], row]));
        const shown = await pages(who, `${path(model)}?limit=${MOST}&view=default`);
        tell(
          shown.length !== wanted.size,
          nameOf(who, `list of ${model.name} has ${shown.length}, not ${wanted.size}`),
        );
        for (const one of shown) {
          const row = wanted.get(one[model.key.member]);
          const wrong = row === undefined ? 'is not for them' : isAsSeen(model, one, row, who.caller);
          tell(wrong !== undefined, nameOf(who, `list of ${model.name}: ${wrong}`));
        }
        const { body } = await ask(who, 'GET', `${path(model)}?total=true&limit=1`);
        tell(
          body.page.total !== wanted.size,
          nameOf(who, `total of ${model.plural} is ${body.page.total}, not ${wanted.size}`),
        );
      }
    }
    expect(matrix.surprises).toEqual([]);
  });

  test('may=true: exactly what the grants allow of each record, in lists and reads', async () => {
    for (const model of matrix.on.graph.models) {
      for (const who of matrix.on.people) {
        if (barred(model, 'read', who) !== undefined) continue;
        const rows = new Map(readable(model, who).map((row) => [row[model.key.member], row]));
        const actsOf = (row: Row): string[] =>
          actsOnRecords(model)
            .filter(([, act]) => matrix.oracle.holds(grantsOf(model, act), model, row, who.caller))
            .map(([name]) => name);
        for (const one of await pages(who, `${path(model)}?limit=${MOST}&may=true`)) {
          const [told, wanted] = [textOf(one.may), textOf(actsOf(rows.get(one[model.key.member])!))];
          tell(told !== wanted, nameOf(who, `${model.name} ${keyText(model, one)} may ${told}, not ${wanted}`));
        }
        for (const row of [...rows.values()].slice(0, 3)) {
          const { body } = await ask(who, 'GET', `${path(model, row)}?may=true&fields=${model.key.member}`);
          tell(textOf(body.data.may) !== textOf(actsOf(row)), nameOf(who, `a read of ${model.name} tells others`));
        }
      }
    }
    expect(matrix.surprises).toEqual([]);
  });

  test('lists within a record: of a whole that a caller may read, else there is none', async () => {
    for (const model of matrix.on.graph.models.filter(({ parent }) => parent !== undefined)) {
      const { field, target } = model.parent!;
      const whole = modelOf(matrix.on.graph, target);
      for (const row of sampled(whole)) {
        for (const who of matrix.on.people) {
          const bar = barred(model, 'read', who);
          const { status, body } = await ask(who, 'GET', `${path(whole, row)}/${model.plural}?limit=100&view=default`);
          const read = expected(whole, 'read', row, who);
          const wanted = bar ?? (read === 403 ? 404 : read);
          tell(status !== wanted, nameOf(who, `${path(whole, row)}/${model.plural} is ${status}, not ${wanted}`));
          if (status !== 200) continue;
          const parts = readable(model, who).filter((part) => part[field.member] === row[whole.key.member]);
          tell(
            keysText(model, body.data as Row[]) !== keysText(model, parts),
            nameOf(who, `${path(whole, row)}/${model.plural} shows others`),
          );
        }
      }
    }
    expect(matrix.surprises).toEqual([]);
  });

  test('filters, orders, counts and related records: what is hidden is not there', async () => {
    for (const model of matrix.on.graph.models) {
      for (const who of matrix.on.people) {
        if (barred(model, 'read', who) !== undefined) continue;
        const { caller } = who;
        const known = readable(model, who).slice(0, 2_000);
        const keysOf = (rows: readonly Row[]): string[] => rows.map((row) => keyText(model, row)).sort();
        for (const { member, type, origin, rules } of model.shown.filter((field) => isScalar(field.type))) {
          const grants = model.access.fields.get(member);
          const isNever = grants !== undefined && !matrix.oracle.could(grants, model, caller);
          const relation = model.relations.find(({ field }) => field.member === member);
          // What everybody sees needs no asking.
          if (grants === undefined && relation === undefined) continue;
          const there = await ask(
            who,
            'GET',
            path(model) + queryOf({ filter: `${member} IS NOT NULL`, limit: '1', total: 'true' }),
          );
          tell(
            there.status !== (isNever ? 400 : 200),
            nameOf(who, `filter by ${model.name}.${member} ${there.status}`),
          );
          if (isNever) {
            for (const parameters of [{ sort: member }, { fields: member }, { [member]: 'x' }]) {
              const { status, body } = await ask(
                who,
                'GET',
                path(model) + queryOf(parameters as Record<string, string>),
              );
              tell(status !== 400, nameOf(who, `${JSON.stringify(parameters)} of ${model.name}: ${status}`));
              tell(
                JSON.stringify(body).includes(`did you mean ${member}?`),
                nameOf(who, `${model.name}.${member} is told`),
              );
            }
            continue;
          }
          const seen = known.filter((row) => (matrix.oracle.seen(model, member, row, caller) ?? null) !== null);
          tell(
            there.body.page.total !== seen.length,
            nameOf(who, `${model.name}.${member} IS NOT NULL: ${there.body.page.total}`),
          );
          const hidden = known.find(
            (row) => (matrix.oracle.seen(model, member, row, caller) ?? null) === null && row[member] !== null,
          );
          if (hidden !== undefined && ['key', 'field', 'relation'].includes(origin) && !rules.writeOnly) {
            const value = textOf(hidden[member]);
            const wanted = seen.filter((row) => row[member] === hidden[member]);
            const found = await pages(
              who,
              path(model) + queryOf({ [member]: value, limit: '100', fields: model.key.member }),
            );
            tell(
              keysOf(found).join() !== keysOf(wanted).join(),
              nameOf(who, `${model.name}?${member}=… finds ${found.length}`),
            );
            if (type === 'string') {
              const like = await pages(
                who,
                path(model) +
                  queryOf({ filter: `${member} LIKE '${value.slice(0, 5)}%'`, limit: '100', fields: model.key.member }),
              );
              const alike = seen.filter((row) => String(row[member] as string).startsWith(value.slice(0, 5)));
              tell(
                keysOf(like).join() !== keysOf(alike).join(),
                nameOf(who, `${model.name}.${member} LIKE finds ${like.length}`),
              );
            }
          }
          // In the order of what they see; page by page, as cursors have it.
          const sorted = await pages(
            who,
            path(model) + queryOf({ sort: `-${member}`, limit: '3', fields: model.key.member }),
          );
          const values = sorted.map(
            (one) =>
              matrix.oracle.seen(
                model,
                member,
                known.find((row) => row[model.key.member] === one[model.key.member])!,
                caller,
              ) ?? null,
          );
          const ordered = [...values].sort((one, other) =>
            one === null ? (other === null ? 0 : 1) : other === null ? -1 : one < other ? 1 : one > other ? -1 : 0,
          );
          tell(
            JSON.stringify(values) !== JSON.stringify(ordered),
            nameOf(who, `${model.name} sorted by ${member}: ${JSON.stringify(values)}`),
          );
          tell(sorted.length !== known.length, nameOf(who, `${model.name} sorted by ${member} shows ${sorted.length}`));
        }
        for (const relation of relatedNames(model)) await askRelation(model, relation, who, known.slice(0, SAMPLED));
      }
    }
    expect(matrix.surprises).toEqual([]);
  });

  async function askRelation(model: Model, relation: string, who: Person, rows: readonly Row[]): Promise<void> {
    const { caller } = who;
    const one = stepCalled(model, relation);
    const via = one?.step ?? viaCalled(model, relation)!.via;
    const target = modelOf(matrix.on.graph, one?.target ?? viaCalled(model, relation)!.target);
    const own =
      model.relations.find((step) => step === via)?.field.member ??
      linkedOf(model).find((links) => links === via)?.member;
    const isNever =
      own !== undefined &&
      model.access.fields.has(own) &&
      !matrix.oracle.could(model.access.fields.get(own)!, model, caller);
    const list = await ask(who, 'GET', path(model) + queryOf({ include: relation, limit: '2' }));
    tell(list.status !== (isNever ? 400 : 200), nameOf(who, `include=${relation} of ${model.name} ${list.status}`));
    if (isNever) return;
    for (const row of rows) {
      const { body } = await ask(who, 'GET', path(model, row) + queryOf({ include: relation }));
      const isSeen = own === undefined || matrix.oracle.sees(model, own, row, caller);
      const wanted = isSeen
        ? matrix.oracle.related(model, via, row).filter((other) => matrix.oracle.may(target, 'read', other, caller))
        : [];
      const shown = (body.data as Record<string, { data?: Row[] } & Row>)[relation];
      const found = one === undefined ? (shown?.data ?? []) : shown == null ? [] : [shown as Row];
      const most = wanted.length > 20 ? found.length === 20 : keysText(target, found) === keysText(target, wanted);
      tell(
        !most,
        nameOf(who, `${model.name}.${relation} of ${path(model, row)} shows ${found.length}, not ${wanted.length}`),
      );
      for (const other of found) {
        const whole = wanted.find((candidate) => candidate[target.key.member] === other[target.key.member]);
        const wrong = whole === undefined ? 'not theirs' : isAsSeen(target, other, whole, caller);
        tell(wrong !== undefined, nameOf(who, `${model.name}.${relation}: ${wrong}`));
      }
      if (one !== undefined) continue;
      const condition = `${model.key.member} = '${keyText(model, row)}' AND count(${relation}) = ${wanted.length}`;
      const counted = await ask(who, 'GET', path(model) + queryOf({ filter: condition, limit: '1', total: 'true' }));
      tell(
        counted.body.page?.total !== 1,
        nameOf(who, `count(${relation}) of ${path(model, row)} is not ${wanted.length}`),
      );
    }
  }

  /** A label is what its record says, for whom may read that; everybody else gets none. */
  function labelFaults(model: Model, line: Row, who: Person): void {
    const judge = (target: Model, key: FieldValue | undefined, label: unknown, what: string): void => {
      const row = readable(target, who).find((one) => keyText(target, one) === String(key as string));
      const said = (part: string | Expression): string => {
        const value = typeof part === 'string' ? part : matrix.oracle.valueOf(part, target, row!, who.caller);
        return typeof value === 'string' ? value : value === null ? '' : JSON.stringify(value);
      };
      const template = target.label ?? [fieldExpression(target.key)];
      const wanted = row === undefined ? null : template.map(said).join('');
      tell(label !== wanted, nameOf(who, `${what} of ${model.name} is ${JSON.stringify(label)}`));
    };
    const { graph } = matrix.on;
    judge(model, line.record, line.label, 'label');
    // Whoever is not to be known to the reader has no member of their own in the line.
    const callers = graph.identity && modelOf(graph, graph.identity.model);
    if (callers !== undefined && line.by !== undefined) judge(callers, line.by, line.by_label, 'by_label');
    else tell((line.by_label ?? null) !== null, nameOf(who, `by_label of ${model.name} is of nobody`));
    for (const { field, target } of model.relations) {
      const change = (line.changes as Record<string, Record<string, FieldValue>>)[field.member];
      if (change?.after !== undefined)
        judge(modelOf(graph, target), change.after, change.after_label, `label of ${field.member}`);
    }
  }

  test(
    'journals of models: lines of records whose journal is for ' + 'the caller, with the values that they see',
    async () => {
      for (const model of matrix.on.graph.models.filter(({ journal }) => journal)) {
        for (const who of matrix.on.people) {
          const bar = barred(model, 'read', who) ?? barred(model, 'journal', who);
          const first = await ask(who, 'GET', `${path(model)}/journal?limit=1`);
          tell(first.status !== (bar ?? 200), nameOf(who, `journal of ${model.plural} is ${first.status}`));
          if (first.status !== 200) continue;
          const lines = await pages(who, `${path(model)}/journal?limit=${MOST}`);
          const known = readable(model, who).filter((row) => matrix.oracle.may(model, 'journal', row, who.caller));
          const wanted = new Set(known.map((row) => keyText(model, row)));
          const shown = new Set(lines.map(({ record }) => String(record as string)));
          tell(
            [...wanted].sort().join() !== [...shown].sort().join(),
            nameOf(who, `journal of ${model.plural} is of others`),
          );
          const named = await pages(who, `${path(model)}/journal?limit=${MOST}&labels=true`);
          for (const line of named) labelFaults(model, line, who);
          const bare = await pages(who, `${path(model)}/journal?limit=${MOST}&fields=changes`);
          for (const line of [...lines, ...bare]) {
            const row = known.find((one) => one[model.key.member] === line.record);
            for (const [member, { after }] of Object.entries(line.changes as Record<string, { after?: FieldValue }>)) {
              const seen =
                row === undefined
                  ? model.access.fields.has(member)
                    ? undefined
                    : after
                  : matrix.oracle.seen(model, member, row, who.caller);
              const isWrong =
                after !== undefined && row !== undefined && JSON.stringify(after) !== JSON.stringify(seen);
              tell(
                isWrong && !Array.isArray(after),
                nameOf(who, `journal of ${model.name}.${member}: ${JSON.stringify(after)}`),
              );
            }
          }
        }
      }
      expect(matrix.surprises).toEqual([]);
    },
  );
});
