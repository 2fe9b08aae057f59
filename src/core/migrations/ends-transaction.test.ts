import { expect, test } from '@jest/globals';
import { endsTransaction } from './ends-transaction.ts';

test.each([
  ['UPDATE huts SET beds = 1; COMMIT', 'COMMIT'],
  ['begin transaction; DROP TABLE x', 'begin transaction'],
  ['-- a remark\nROLLBACK;', 'ROLLBACK'],
  ['DROP TABLE x;\n\nstart  transaction;', 'start  transaction'],
  ["UPDATE huts SET note = '; COMMIT;'", undefined],
  ['-- COMMIT;\nDROP TABLE x;', undefined],
  ['/* ;\nCOMMIT */ DROP TABLE x', undefined],
  ['SAVEPOINT a; ROLLBACK TO a; ROLLBACK TRANSACTION TO a', undefined],
  ['CREATE TRIGGER t AFTER INSERT ON huts BEGIN UPDATE huts SET beds = 1; END;', undefined],
  ['CREATE FUNCTION f() RETURNS int AS $$ BEGIN; COMMIT; END $$ LANGUAGE plpgsql', undefined],
  ['ALTER TABLE "; COMMIT" ADD COLUMN commit text', undefined],
])('%j', (sql, words) => {
  expect(endsTransaction(sql)).toBe(words);
});
