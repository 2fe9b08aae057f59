import { expect, test } from '@jest/globals';
import { openApi } from '../../src/core/document/openapi.ts';
import type { Grant } from '../../src/core/model/access.ts';
import { asksWho } from '../../src/core/model/expression.ts';
import { modelOf } from '../../src/core/model/graph.ts';
import type { Model } from '../../src/core/model/model.ts';
import { linkedOf } from '../../src/core/model/related.ts';
import type { FieldValue } from '../../src/core/model/scalar.ts';
import { isSettable } from '../../src/core/rules/schema.ts';
import type { Row } from '../../src/core/trial/oracle/world-state.ts';
import { onEachProject } from '../kit/matrix.ts';

/** What operations are asked with. */
const INPUTS: Readonly<Record<string, object>> = { 'hut.book': { first_night: '2026-06-12', nights: 1, party: 1 } };

onEachProject('who does what', (matrix) => {
  const { ask, barred, expected, isAsSeen, isStranger, nameOf, path, rowsOf, sampled, tell } = matrix;

  test('records: read, changed, deleted and their journals, by whom it is for', async () => {
    for (const model of matrix.on.graph.models) {
      for (const row of sampled(model)) {
        for (const who of matrix.on.people) {
          const target = path(model, row);
          const read = await ask(who, 'GET', target);
          tell(
            read.status !== expected(model, 'read', row, who),
            nameOf(who, `GET ${target} ${model.name} ${read.status}`),
          );
          if (read.status === 200) {
            const wrong = isAsSeen(model, read.body.data as Row, row, who.caller);
            tell(wrong !== undefined, nameOf(who, `${target}: ${wrong}`));
          }
          const same = await ask(who, 'PATCH', target, {});
          tell(same.status !== expected(model, 'update', row, who), nameOf(who, `PATCH ${target} ${same.status}`));
          // A delete that asks for a state which the record is not in shows whether it would have been allowed.
          const gone = await ask(who, 'DELETE', target, undefined, { 'if-match': '"none-x"' });
          const wanted = expected(model, 'delete', row, who);
          tell(
            gone.status !== (wanted === 200 ? 412 : wanted),
            nameOf(who, `DELETE ${target} ${gone.status}, not ${wanted}`),
          );
          const put = await ask(who, 'PUT', target, read.status === 200 ? read.body.data : bodyOf(model, row));
          const allowed = expected(model, 'replace', row, who);
          const isAllowed =
            put.status === allowed || (allowed !== 401 && allowed !== 403 && put.status === 422 && read.status !== 200);
          tell(!isAllowed, nameOf(who, `PUT ${target} ${put.status} ${JSON.stringify(put.body)}, not ${allowed}`));
          if (!model.journal) continue;
          const history = await ask(who, 'GET', `${target}/journal`);
          tell(
            history.status !== expected(model, 'journal', row, who),
            nameOf(who, `${target}/journal ${history.status}`),
          );
        }
      }
    }
    expect(matrix.surprises).toEqual([]);
    // Nobody has changed anything by it.
    expect(stamped(await matrix.on.rows())).toEqual(stamped(matrix.rows));
  });

  /** What a client could send to make a record like this one. */
  const bodyOf = (model: Model, row: Row): Record<string, FieldValue> =>
    Object.fromEntries(
      Object.entries(row).filter(([member]) => {
        const field = model.byMember.get(member);
        return field === undefined || (isSettable(field, 'create') && field.origin !== 'key');
      }),
    );

  const stamped = (rows: ReadonlyMap<string, readonly Row[]>) =>
    Object.fromEntries([...rows].map(([model, all]) => [model, [...all].map((row) => JSON.stringify(row)).sort()]));

  test('records are made by whom it is for, under records that they know of', async () => {
    for (const model of matrix.on.graph.models) {
      for (const row of sampled(model).slice(0, 4)) {
        for (const who of matrix.on.people) {
          const body = bodyOf(model, row);
          const owner = model.owner?.length === 1 ? model.owner[0]!.field.member : undefined;
          if (owner !== undefined) delete body[owner];
          // Nobody else's to give a value.
          for (const member of model.access.set.keys()) delete body[member];
          const draft = { ...row, ...(owner === undefined ? {} : { [owner]: who.caller?.key ?? null }) };
          const bar = barred(model, 'create', who);
          const hides = model.relations.some(({ field: { member }, target }) => {
            const other = matrix.oracle.related(
              model,
              model.relations.find(({ field }) => field.member === member)!,
              draft,
            )[0];
            return (
              body[member] != null &&
              !(other && matrix.oracle.may(modelOf(matrix.on.graph, target), 'read', other, who.caller))
            );
          });
          const links = linkedOf(model).some((one) =>
            matrix.oracle
              .related(model, one, row)
              .some((other) => !matrix.oracle.may(modelOf(matrix.on.graph, one.target), 'read', other, who.caller)),
          );
          const may = matrix.oracle.may(model, 'create', draft, who.caller);
          const { status, body: told } = await ask(who, 'POST', path(model), body);
          const wanted =
            bar !== undefined
              ? [bar]
              : hides || links
                ? [422]
                : may
                  ? [201, 409, 422]
                  : [isStranger(who) ? 401 : 403, 422];
          tell(
            !wanted.includes(status),
            nameOf(who, `POST ${path(model)} ${status} ${JSON.stringify(told)}, not ${wanted.join()}`),
          );
          if (status === 201 && !matrix.oracle.may(model, 'read', { ...draft, ...told.data }, who.caller)) {
            tell(
              Object.keys(told.data as object).join() !== model.key.member,
              nameOf(who, `a new ${model.name} shows more than its key`),
            );
          }
        }
      }
    }
    expect(matrix.surprises).toEqual([]);
  });

  test('operations: on records that a caller may read, by whom it is for', async () => {
    for (const model of matrix.on.graph.models) {
      for (const operation of model.operations) {
        const grants = model.access.operations.get(operation.name) ?? [];
        for (const first of operation.target === 'record' ? sampled(model) : [undefined]) {
          for (const who of matrix.on.people) {
            // As those who asked before have left it.
            const row = rowsOf(model).find((one) => one[model.key.member] === first?.[model.key.member]);
            const target = `${path(model, row)}/${operation.name}`;
            const body = operation.reads ? undefined : (INPUTS[`${model.name}.${operation.name}`] ?? {});
            const { status } = await ask(who, operation.reads ? 'GET' : 'POST', target, body);
            const isBarred = !matrix.oracle.could(grants, model, who.caller);
            const read = row === undefined ? 200 : expected(model, 'read', row, who);
            const held = row === undefined ? !isBarred : matrix.oracle.holds(grants, model, row, who.caller);
            const asks = (grant: Grant): boolean =>
              grant.kind === 'where' ? asksWho(grant.where) : !['nobody', 'anybody'].includes(grant.kind);
            const helps = isStranger(who) && grants.some(asks);
            const wanted = isBarred
              ? [isStranger(who) ? 401 : 403]
              : read !== 200
                ? [read === 403 ? 404 : read]
                : held
                  ? [200, 201, 204, 409]
                  : [helps ? 401 : 403];
            tell(!wanted.includes(status), nameOf(who, `${target} is ${status}, not ${wanted.join()}`));
            await matrix.look();
          }
        }
      }
    }
    expect(matrix.surprises).toEqual([]);
  });

  test('no secret is in a log, a journal or the document', async () => {
    const journal = JSON.stringify(await matrix.on.store.all({ sql: 'SELECT * FROM vantfell_journal' }, []));
    for (const text of [
      journal,
      [...matrix.on.logged, ...matrix.on.defects].join('\n'),
      JSON.stringify(openApi(matrix.on.graph)),
    ]) {
      expect(text).not.toMatch(/\$scrypt\$|knows-this-word|kettle on the ridge/);
    }
  });
});
