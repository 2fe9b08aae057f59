import type { Column, Table } from './table.ts';

const column = (name: string, type: Column['type'] = 'text', nullable = false): Column => ({
  name,
  member: name,
  type,
  scale: 0,
  nullable,
  serial: false,
  checks: [],
});

const own = (name: string, columns: readonly Column[]): Table => ({
  name: `vantfell_${name}`,
  of: `vantfell_${name}`,
  columns,
  primaryKey: columns[0]!.name,
  unique: [],
  indexes: [],
  references: [],
});

/** What the tool has to remember about the database: the snapshot of its tables, while they follow the models. */
export const stateTable = own('state', [column('name'), column('value')]);

/** The migrations that ran, each with the snapshot of the tables after it. Those that ran together are one batch. */
export const migrationsTable = own('migrations', [
  column('number', 'integer'),
  column('name'),
  column('batch', 'integer'),
  column('ran_at'),
  column('checksum'),
]);

/**
 * Which sample became which record: `hut/grey-hut`, its key, a digest of the row as it was loaded, and the number of
 * the load that saw it last.
 */
export const samplesTable = own('samples', [
  column('name'),
  column('key'),
  column('digest'),
  column('seen', 'integer'),
]);

/** Who did what to which record, and when, for all models that keep it. Lines are added, and never changed. */
export const journalTable: Table = {
  ...own('journal', [
    column('id'),
    column('model'),
    column('record'),
    column('at', 'date-time'),
    column('by', 'text', true),
    column('action'),
    column('changes', 'json'),
  ]),
  indexes: [
    { name: 'vantfell_journal_by_record', columns: ['model', 'record', 'id'], descending: [] },
    { name: 'vantfell_journal_by_model', columns: ['model', 'id'], descending: [] },
  ],
};

/**
 * Requests that may be sent again: the digests of who sent which key, and of the body, and the answer that was given.
 */
export const requestsTable: Table = {
  ...own('requests', [
    column('id'),
    column('body'),
    column('at'),
    column('status', 'integer', true),
    column('location', 'text', true),
    column('answer', 'text', true),
  ]),
  indexes: [{ name: 'vantfell_requests_by_at', columns: ['at'], descending: [] }],
};

/**
 * What the tokens of callers are held to: the mark that they carry, and the time before which an outside issuer's are
 * void.
 */
export const credentialsTable = own('credentials', [
  column('caller'),
  column('mark', 'text', true),
  column('since', 'text', true),
]);

/**
 * Where callers are signed in: one row each, with how often its refresh token was replaced. No token stands here: they
 * are signed.
 */
export const sessionsTable: Table = {
  ...own('sessions', [
    column('id'),
    column('caller'),
    column('began_at'),
    column('used_at'),
    column('expires_at'),
    column('generation', 'integer'),
    column('agent', 'text', true),
  ]),
  indexes: [
    { name: 'vantfell_sessions_by_caller', columns: ['caller'], descending: [] },
    { name: 'vantfell_sessions_by_expiry', columns: ['expires_at'], descending: [] },
  ],
};

/** Codes that were sent: their digests, whom they are of, and the digest of the address. No code stands here. */
export const codesTable: Table = {
  ...own('codes', [
    column('id'),
    column('kind'),
    column('caller'),
    column('address'),
    column('made_at'),
    column('expires_at'),
  ]),
  indexes: [
    { name: 'vantfell_codes_by_caller', columns: ['caller', 'kind'], descending: [] },
    { name: 'vantfell_codes_by_expiry', columns: ['expires_at'], descending: [] },
  ],
};

/** The digest of the address that each caller has proved. Another address is not proved by it. */
export const verifiedTable = own('verified', [column('caller'), column('address')]);

/**
 * What CASEI, ACCENTI, lower and upper make of each letter beyond ASCII. Databases differ in what they know of such
 * letters; with a table of them, all give the answers that this program gives. Its rows are those of `allLetters`.
 */
export const lettersTable = own(
  'letters',
  ['letter', 'casei', 'accenti', 'lower', 'upper'].map((name) => column(name)),
);

/** Every table that the tool makes for itself, beside those of the models. */
export const ownTables: readonly Table[] = [
  stateTable,
  migrationsTable,
  samplesTable,
  lettersTable,
  journalTable,
  requestsTable,
  credentialsTable,
  sessionsTable,
  codesTable,
  verifiedTable,
];

export const isOwn = (name: string): boolean => name.startsWith('vantfell_');
