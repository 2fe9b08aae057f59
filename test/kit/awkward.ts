import type { StoreKind } from '../../src/core/model/service.ts';

/** Tables with every type of column, and one row. */
export const KINDS: Readonly<Record<StoreKind, string>> = {
  postgres: `
    CREATE TYPE mood AS ENUM ('sad', 'ok', 'happy');
    CREATE DOMAIN amount AS integer CHECK (value > 0);
    CREATE TABLE kinds (
      id bigserial PRIMARY KEY, s smallint NOT NULL DEFAULT 1, i integer, b bigint DEFAULT 9007199254740991, r real,
      d double precision, n numeric, n2 numeric(10,2) NOT NULL DEFAULT 0.5, m money, bo boolean DEFAULT true, b1 bit(1),
      b8 bit(8), c char(5), v varchar(20) NOT NULL DEFAULT 'x', t text, tc text COLLATE "C", dt date, ti time,
      ti3 time(3), ts timestamp, ts3 timestamp(3), tst timestamptz, tst3 timestamptz(3), u uuid, j json, jb jsonb,
      e mood NOT NULL DEFAULT 'ok', ar integer[], "at" text[], an numeric[], p amount, inet inet, iv interval, by bytea,
      pt point, x xml, g integer GENERATED ALWAYS AS (s * 2) STORED, "no ""way""" integer);
    INSERT INTO kinds (s, i, b, r, d, n, n2, m, bo, b1, c, v, t, tc, dt, ti, ti3, ts, ts3, tst, tst3, u, j, jb, e, ar,
      "at", p, inet, iv, x)
    VALUES (1, 2, 3, 0.1, 0.1, 1.23456, 9.99, '12.34', true, B'1', 'ab', 'vv', 'ü', 'T', '2026-01-02',
      '10:11:12.123456', '10:11:12.123', '2026-01-02 03:04:05.123456', '2026-01-02 03:04:05.123',
      '2026-01-02 03:04:05.123456+00', '2026-01-02 03:04:05.123+00', '123e4567-e89b-42d3-a456-426614174000', '{"a":1}',
      '{"b":[1]}', 'happy', '{1,2,3}', '{a,"b,c"}', 5, '10.0.0.1', '1 day', '<a/>');`,
  mariadb: `
    CREATE TABLE kinds (
      id int AUTO_INCREMENT PRIMARY KEY, ti1 tinyint(1) NOT NULL DEFAULT 0, ti tinyint, tu tinyint unsigned, si smallint,
      mi mediumint, i int, iu int unsigned, bi bigint, bu bigint unsigned, de decimal(10,2) NOT NULL DEFAULT 1.5,
      du decimal(5,1) unsigned, f float, d double, b1 bit(1), b8 bit(8), y year, dt date, t0 time, t3 time(3), t6 time(6),
      dt0 datetime, dt3 datetime(3), dt6 datetime(6), ts timestamp NULL, c char(5), v varchar(20) NOT NULL DEFAULT 'x',
      vu varchar(20) CHARACTER SET utf8mb4 COLLATE utf8mb4_general_ci, tt tinytext, tx text,
      lt longtext CHARACTER SET utf8mb4, e enum('a', 'it''s') NOT NULL DEFAULT 'a', s set('p', 'q', 'r'), j json, bl blob,
      u uuid, ip inet6, g int AS (i * 2) STORED, r int, pt point) CHARACTER SET latin1;
    INSERT INTO kinds (ti1, ti, tu, si, mi, i, iu, bi, bu, de, du, f, d, b1, b8, y, dt, t0, t3, t6, dt0, dt3, dt6, ts, c,
      v, vu, tt, tx, lt, e, s, j, u, ip, r)
    VALUES (1, 1, 255, 1, 1, 2, 4294967295, 3, 4, 9.99, 1.5, 0.1, 0.1, b'1', b'1', 2026, '2026-01-02', '10:11:12',
      '10:11:12.123', '10:11:12.123456', '2026-01-02 03:04:05', '2026-01-02 03:04:05.123',
      '2026-01-02 03:04:05.123456', '2026-01-02 03:04:05', 'ab', 'vv', 'Ä', 'ü', 'ü', 'ü', 'it''s', 'p,r', '{"a":1}',
      '123e4567-e89b-42d3-a456-426614174000', '::1', 0);`,
  sqlite: `
    CREATE TABLE kinds (
      id integer PRIMARY KEY, i int, bi bigint, bo boolean NOT NULL DEFAULT 1, r real, d double precision, n numeric,
      de decimal(10,2) NOT NULL DEFAULT 0.5, mo money, v varchar(20) NOT NULL DEFAULT 'x', t text,
      nc text COLLATE NOCASE, dt date, ti time, da datetime, df datetime, ds timestamp, dm timestamp, own datetime,
      u uuid, j json, bl blob, anything, g integer GENERATED ALWAYS AS (i * 2) STORED);
    INSERT INTO kinds (i, bi, bo, r, d, n, de, mo, v, t, nc, dt, ti, da, df, ds, dm, own, u, j, bl, anything)
    VALUES (2, 3, 1, 0.1, 0.1, 1.5, 9.99, 12.34, 'vv', 'ü', 'Ab', '2026-01-02', '10:11:12', '2026-01-02 03:04:05',
      '2026-01-02 03:04:05.123', 1767323045, 1767323045123, '2026-01-02T03:04:05.123Z',
      '123e4567-e89b-42d3-a456-426614174000', '{"a":1}', x'00', 'any');`,
};

/** What is to come of the row of those tables, and of another. */
interface Expected {
  /** The record of the row, without its key. */
  readonly first: Readonly<Record<string, unknown>>;
  readonly given: Readonly<Record<string, unknown>>;
  /** What `given` is read as, where a column has room for less. */
  readonly echoed?: Readonly<Record<string, unknown>>;
  /** Conditions of which all are true of the first record alone. */
  readonly found: readonly string[];
  readonly sorts: readonly string[];
  /** What has no form. */
  readonly missing: readonly string[];
}

const UUID = '123e4567-e89b-42d3-a456-426614174000';
const EXACT = '2026-01-02T03:04:05.123Z';
const SECOND = '2026-01-02T03:04:05.000Z';
const LATER = '2026-05-05T05:05:05.500Z';

export const VALUES: Readonly<Record<StoreKind, Expected>> = {
  postgres: {
    missing: ['kinds.b8', 'kinds.an', 'kinds.by', 'kinds.pt', 'kinds.no "way"'],
    first: {
      ...{ s: 1, i: 2, b: 3, r: 0.1, d: 0.1, n: '1.234560', n2: '9.99', m: '12.34', bo: true, b1: true, c: 'ab' },
      ...{ v: 'vv', t: 'ü', tc: 'T', dt: '2026-01-02', ti: '10:11:12.123', ti3: '10:11:12.123', ts: EXACT, ts3: EXACT },
      ...{ tst: EXACT, tst3: EXACT, u: UUID, j: { a: 1 }, jb: { b: [1] }, e: 'happy', ar: [1, 2, 3], at: ['a', 'b,c'] },
      ...{ p: 5, inet: '10.0.0.1/32', iv: '1 day', x: '<a/>', g: 2 },
    },
    given: {
      ...{ s: 3, i: -7, b: 5, r: 0.3, d: 1e300, n: '1.500000', n2: '-0.50', m: '3.10', bo: false, b1: false, c: 'zz' },
      ...{ v: '', t: '日本', tc: 'ß', dt: '2026-03-03', ti: '10:00:00', ti3: '10:00:00.500', ts: LATER, ts3: LATER },
      ...{ tst: LATER, tst3: LATER, u: UUID.replace('1', '2'), j: [1], jb: { x: 'ü' }, e: 'sad', ar: [] },
      ...{ at: ['q', 'b,"c"'], p: 3 },
    },
    found: [
      ...["e = 'happy'", `ts = TIMESTAMP('${EXACT}')`, `ts3 <= TIMESTAMP('${EXACT}')`, 'r = 0.1', 'm = 12.34'],
      ...[
        "v LIKE 'v%'",
        'b1 = TRUE',
        "c = 'ab'",
        "inet = '10.0.0.1/32'",
        'p > 4',
        'n2 = 9.99',
        'n > 1.2',
        'jb.b IS NOT NULL',
      ],
      ...[
        'A_CONTAINS(ar, (1, 2))',
        "A_CONTAINS(at, ('b,c'))",
        "t > 'a'",
        `u = '${UUID}'`,
        "ti > '10:00:00'",
        's + g = 3',
      ],
    ],
    sorts: ['ts', '-ts3', 'tst', '-r', 'm', 'c', '-v', 'e', 'u', 'n', 'bo', 'b1', 'i', 'ti'],
  },
  mariadb: {
    missing: ['kinds.b8', 'kinds.bl', 'kinds.pt'],
    first: {
      ...{ ti1: true, ti: 1, tu: 255, si: 1, mi: 1, i: 2, iu: 4294967295, bi: 3, bu: 4, de: '9.99', du: '1.5', f: 0.1 },
      ...{ d: 0.1, b1: true, y: 2026, dt: '2026-01-02', t0: '10:11:12', t3: '10:11:12.123', t6: '10:11:12.123' },
      ...{ dt0: SECOND, dt3: EXACT, dt6: EXACT, ts: SECOND, c: 'ab', v: 'vv', vu: 'Ä', tt: 'ü', tx: 'ü', lt: 'ü' },
      ...{ e: "it's", s: ['p', 'r'], j: { a: 1 }, u: UUID, ip: '::1', g: 4, r: 0 },
    },
    given: {
      ...{
        ti1: false,
        ti: -128,
        tu: 0,
        si: 5,
        mi: 5,
        i: 7,
        iu: 9,
        bi: 9,
        bu: 9,
        de: '-3.10',
        du: '0.1',
        f: 0.3,
        d: 1e300,
      },
      ...{ b1: false, y: 1999, dt: '2026-03-03', t0: '10:00:00', t3: '10:00:00.500', t6: '10:00:00.500' },
      ...{ dt0: LATER.replace('500', '000'), dt3: LATER, dt6: LATER, ts: LATER.replace('500', '000'), c: 'zz', v: '' },
      ...{ vu: '日本', tt: 'x', tx: 'é', lt: '😀', e: 'a', s: [], j: [1, { b: 'ü' }], u: UUID.replace('1', '2'), r: 1 },
    },
    found: [
      ...["e = 'it''s'", `dt0 = TIMESTAMP('${SECOND}')`, `dt6 <= TIMESTAMP('${EXACT}')`, 'f = 0.1', 'de = 9.99'],
      ...["v LIKE 'v%'", 'b1 = TRUE', "c = 'ab'", "ip = '::1'", 'y > 2000', 'bu = 4', 'j.a IS NOT NULL', "vu = 'Ä'"],
      ...["A_CONTAINS(s, ('p', 'r'))", "tx > 'a'", `u = '${UUID}'`, "t6 > '10:00:00'", 'i + g = 6', 'ti1 = TRUE'],
    ],
    sorts: ['dt0', '-dt6', 'ts', '-f', 'de', 'c', '-v', 'vu', 'e', 'u', 'y', 'b1', 'ti1', 't6', 'lt'],
  },
  sqlite: {
    missing: ['kinds.bl'],
    first: {
      ...{ i: 2, bi: 3, bo: true, r: 0.1, d: 0.1, n: 1.5, de: '9.99', mo: '12.34', v: 'vv', t: 'ü', nc: 'Ab' },
      ...{ dt: '2026-01-02', ti: '10:11:12', da: SECOND, df: EXACT, ds: SECOND, dm: EXACT, own: EXACT, u: UUID },
      ...{ j: { a: 1 }, anything: 'any', g: 4 },
    },
    given: {
      ...{ i: -7, bi: 5, bo: false, r: 0.3, d: 1e300, n: 3, de: '-0.50', mo: '3.10', v: '', t: '日本', nc: 'zz' },
      ...{
        dt: '2026-03-03',
        ti: '10:00:00',
        da: LATER.replace('500', '000'),
        df: LATER,
        ds: LATER.replace('500', '000'),
      },
      ...{ dm: LATER, own: LATER, u: UUID.replace('1', '2'), j: [1], anything: 'x' },
    },
    found: [
      ...["nc = 'Ab'", `da = TIMESTAMP('${SECOND}')`, `df <= TIMESTAMP('${EXACT}')`, `ds = TIMESTAMP('${SECOND}')`],
      ...[
        `dm = TIMESTAMP('${EXACT}')`,
        'r = 0.1',
        'de = 9.99',
        'mo > 12',
        "v LIKE 'v%'",
        'bo = TRUE',
        'j.a IS NOT NULL',
      ],
      ...["t > 'a'", `u = '${UUID}'`, "ti > '10:00:00'", 'i + g = 6', 'n = 1.5', "dt < DATE('2026-02-01')"],
    ],
    sorts: ['da', '-df', 'ds', '-dm', 'own', '-r', 'de', 'mo', '-v', 'nc', 'u', 'n', 'bo', 'ti', 'dt'],
  },
};

/**
 * Tables as somebody made them over the years: names of all sorts, keys of two columns and none, circles, a table of
 * pairs, views, and rules that no model can say.
 */
const awkward = (spelled: {
  readonly name: (name: string) => string;
  readonly serial: string;
  readonly more: string;
}): string => {
  const { name, serial, more } = spelled;
  const customers = name('Customers');
  const orders = name('order');
  return `
    CREATE TABLE ${customers} (${name('CustomerID')} ${serial}, ${name('Full Name')} varchar(60) NOT NULL,
      ${name('group')} varchar(20), ${name('größe')} integer, ${name('createdAt')} timestamp NOT NULL DEFAULT CURRENT_TIMESTAMP);
    CREATE TABLE ${orders} (id ${serial}, customer integer NOT NULL REFERENCES ${customers} (${name('CustomerID')}),
      parent_id integer REFERENCES ${orders} (id) ON DELETE SET NULL,
      state varchar(10) NOT NULL DEFAULT 'new' CHECK (state IN ('new', 'paid', 'it''s')),
      ${name('Total Sum')} decimal(12,2) CHECK (${name('Total Sum')} >= 0));
    CREATE INDEX order_by_state ON ${orders} (state, customer);
    CREATE TABLE tags (id ${serial}, name varchar(30) NOT NULL UNIQUE);
    CREATE TABLE order_tags (order_id integer REFERENCES ${orders} (id) ON DELETE CASCADE,
      tag_id integer REFERENCES tags (id) ON DELETE CASCADE, PRIMARY KEY (order_id, tag_id));
    CREATE TABLE comp (a integer, b integer, PRIMARY KEY (a, b));
    CREATE TABLE log (at_ varchar(20), words varchar(20));
    INSERT INTO log VALUES ('then', 'x'), ('then', 'x');
    CREATE TABLE a (id ${serial}, b_id integer);
    CREATE TABLE b (id ${serial}, a_id integer NOT NULL REFERENCES a (id));
    CREATE TABLE child (code varchar(10) PRIMARY KEY, owner_id integer NOT NULL REFERENCES ${customers} (${name('CustomerID')})
      ON DELETE CASCADE, backup_owner_id integer REFERENCES ${customers} (${name('CustomerID')}) ON DELETE SET NULL,
      weight integer, CHECK (weight * 2 < 20 OR weight IS NULL));
    CREATE VIEW young AS SELECT code, owner_id FROM child;
    CREATE TABLE line (id ${serial}, amount integer NOT NULL DEFAULT 0 CHECK (amount > 0));
    CREATE TABLE ${name('LINE 2')} (id ${serial}, words varchar(20));
    INSERT INTO ${customers} (${name('Full Name')}, ${name('group')}) VALUES ('Ada', 'x'), ('Bo', NULL);
    INSERT INTO ${orders} (customer) VALUES (1);
    INSERT INTO tags (name) VALUES ('red'), ('blue');
    INSERT INTO order_tags VALUES (1, 1);
    INSERT INTO child VALUES ('AB', 2, 1, 3);
    ${more}`;
};

export const AWKWARD: Readonly<Record<StoreKind, string>> = {
  postgres: awkward({
    name: (name) => `"${name}"`,
    serial: 'integer GENERATED BY DEFAULT AS IDENTITY PRIMARY KEY',
    more: 'ALTER TABLE a ADD FOREIGN KEY (b_id) REFERENCES b (id);',
  }),
  mariadb: awkward({
    name: (name) => `"${name}"`,
    serial: 'integer AUTO_INCREMENT PRIMARY KEY',
    more: 'ALTER TABLE a ADD FOREIGN KEY (b_id) REFERENCES b (id);',
  }),
  sqlite: awkward({ name: (name) => `"${name}"`, serial: 'integer PRIMARY KEY', more: '' }).replace(
    'b_id integer)',
    'b_id integer REFERENCES b (id))',
  ),
};

const SERIAL: Readonly<Record<StoreKind, string>> = {
  postgres: 'integer GENERATED BY DEFAULT AS IDENTITY PRIMARY KEY',
  mariadb: 'integer AUTO_INCREMENT PRIMARY KEY',
  sqlite: 'integer PRIMARY KEY',
};

/** Keys of several columns, references to them, and keys that have those in them. */
export const SEVERAL = (kind: StoreKind): string => `
  CREATE TABLE "Racks" ("RackNo" integer PRIMARY KEY, name varchar(20) NOT NULL);
  CREATE TABLE "Shelf Places" ("RackNo" integer NOT NULL REFERENCES "Racks" ("RackNo") ON DELETE CASCADE,
    level integer NOT NULL, wine varchar(20) NOT NULL, PRIMARY KEY ("RackNo", level));
  CREATE TABLE crates (id ${SERIAL[kind]}, "RackNo" integer NOT NULL REFERENCES "Racks" ("RackNo"), lvl integer NOT NULL,
    bottles integer NOT NULL, FOREIGN KEY ("RackNo", lvl) REFERENCES "Shelf Places" ("RackNo", level));
  CREATE TABLE seals (code varchar(20) NOT NULL, lvl integer NOT NULL, rack integer NOT NULL, words varchar(20),
    PRIMARY KEY (rack, lvl, code),
    ${
      // One of the kinds wants the columns in the order of the key.
      kind === 'mariadb'
        ? 'FOREIGN KEY (rack, lvl) REFERENCES "Shelf Places" ("RackNo", level)'
        : 'FOREIGN KEY (lvl, rack) REFERENCES "Shelf Places" (level, "RackNo")'
    } ON DELETE CASCADE);
  CREATE TABLE gifts (rack integer NOT NULL, lvl integer NOT NULL, words varchar(20), PRIMARY KEY (rack, lvl),
    FOREIGN KEY (rack, lvl) REFERENCES "Shelf Places" ("RackNo", level));
  CREATE TABLE notes (id ${SERIAL[kind]}, rack integer, lvl integer, words varchar(20) NOT NULL,
    FOREIGN KEY (rack, lvl) REFERENCES "Shelf Places" ("RackNo", level) ON DELETE SET NULL);
  CREATE TABLE halves (id ${SERIAL[kind]}, rack integer NOT NULL, lvl integer,
    FOREIGN KEY (rack, lvl) REFERENCES "Shelf Places" ("RackNo", level));
  CREATE TABLE prices (wine varchar(20) NOT NULL, since date NOT NULL, price decimal(10,2) NOT NULL,
    PRIMARY KEY (wine, since));
  CREATE TABLE rates (grp integer NOT NULL, id integer NOT NULL, rate integer, UNIQUE (grp, id));
  INSERT INTO "Racks" VALUES (1, 'north'), (2, 'south');
  INSERT INTO "Shelf Places" VALUES (1, 1, 'red'), (1, 2, 'white'), (2, 1, 'red');
  INSERT INTO crates ("RackNo", lvl, bottles) VALUES (1, 1, 6), (2, 1, 12);
  INSERT INTO seals (rack, lvl, code) VALUES (1, 1, 'A,1'), (1, 1, 'B%');
  INSERT INTO gifts VALUES (2, 1, 'hi');
  INSERT INTO notes (rack, lvl, words) VALUES (1, 2, 'cold'), (NULL, NULL, 'lost');
  INSERT INTO halves (rack, lvl) VALUES (1, NULL);
  INSERT INTO prices VALUES ('red', '2026-01-01', 9.5);
  INSERT INTO rates VALUES (1, 1, 5);`;

const TRIGGER: Readonly<Record<StoreKind, string>> = {
  postgres:
    'CREATE FUNCTION sold() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN UPDATE "Articles" SET "InStock" = ' +
    '"InStock" - NEW."Qty" WHERE "ArticleID" = NEW."ArticleID"; RETURN NEW; END $$;' +
    'CREATE TRIGGER sold AFTER INSERT ON "OrderLines" FOR EACH ROW EXECUTE FUNCTION sold();',
  mariadb:
    'CREATE TRIGGER sold AFTER INSERT ON "OrderLines" FOR EACH ROW UPDATE "Articles" SET "InStock" = "InStock" - ' +
    'NEW."Qty" WHERE "ArticleID" = NEW."ArticleID";',
  sqlite:
    'CREATE TRIGGER sold AFTER INSERT ON "OrderLines" BEGIN UPDATE "Articles" SET "InStock" = "InStock" - ' +
    'NEW."Qty" WHERE "ArticleID" = NEW."ArticleID"; END;',
};

/** A shop in CamelCase, whose references nobody declared, with a view over them and a trigger that keeps its stock. */
export const SHOP = (kind: StoreKind): string => `
  CREATE TABLE "Articles" ("ArticleID" ${SERIAL[kind]}, "Article Name" varchar(40) NOT NULL,
    "InStock" integer NOT NULL, "UnitPrice" decimal(10,2) NOT NULL, "Order" integer);
  CREATE TABLE "OrderHeads" ("OrderID" ${SERIAL[kind]}, "User" varchar(30) NOT NULL, "OrderedOn" date NOT NULL);
  CREATE TABLE "OrderLines" ("OrderID" integer NOT NULL, "LineNo" integer NOT NULL, "ArticleID" integer NOT NULL,
    "Qty" integer NOT NULL CHECK ("Qty" > 0), PRIMARY KEY ("OrderID", "LineNo"));
  CREATE VIEW "Sold Per Article" AS SELECT "ArticleID", sum("Qty") AS "Sold" FROM "OrderLines" GROUP BY "ArticleID";
  ${TRIGGER[kind]}
  INSERT INTO "Articles" ("Article Name", "InStock", "UnitPrice") VALUES ('Rope, 40 m', 10, 79.9), ('Lamp', 5, 24.5);
  INSERT INTO "OrderHeads" ("User", "OrderedOn") VALUES ('ada', '2026-01-02');
  INSERT INTO "OrderLines" VALUES (1, 1, 1, 2);`;

/** A file that other programs have written what they liked into. */
export const ANYTHING = `
  CREATE TABLE things (id integer PRIMARY KEY, qty integer, made datetime, price decimal(10,2), day date, ok boolean,
    bytes text, ref uuid, size real);
  INSERT INTO things VALUES (1, 5, '2026-01-02 03:04:05', 12.5, '2026-01-02', 1, 'x', 'nope', 1.5),
    (2, 'many', '12/05/2026', 'n/a', '2.1.2026', 'yes', x'00ff', NULL, 'big');`;
