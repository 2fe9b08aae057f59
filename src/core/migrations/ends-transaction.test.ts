import { expect, test } from '@jest/globals';
import { endsTransaction, firstDrop } from './ends-transaction.ts';

test.each([
  ['UPDATE huts SET beds = 1; COMMIT', 'COMMIT'],
  ['begin transaction; DROP TABLE x', 'begin'],
  ['DROP TABLE x; END;', 'END'],
  ['DROP TABLE x;\nend', 'end'],
  ['END TRANSACTION; DROP TABLE x', 'END'],
  ['CREATE TRIGGER t AFTER INSERT ON huts BEGIN SELECT CASE WHEN 1 THEN 2 END; END; END;', 'END'],
  ['CREATE TEMP TRIGGER t BEFORE DELETE ON huts BEGIN SELECT CASE WHEN 1 THEN 2 END; SELECT 3; END', undefined],
  ['CREATE FUNCTION f() RETURNS int BEGIN ATOMIC SELECT 1; END; DROP TABLE x', undefined],
  ['UPDATE huts SET beds = CASE WHEN 1 THEN 2 END', undefined],
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

test.each([
  ['DROP TABLE x', 0],
  ['ALTER TABLE x; drop  table y', 14],
  ["SELECT '; DROP TABLE x'; DROP TABLE y", 24],
  ['-- DROP TABLE x\nDROP INDEX y', -1],
])('the first drop of %j', (sql, at) => {
  expect(firstDrop(sql)).toBe(at);
});
