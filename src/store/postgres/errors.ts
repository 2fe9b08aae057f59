import { StoreError } from '../../core/store/contract.ts';
import { otherHand } from '../base/options.ts';

/**
 * Tables, columns, rules and triggers that are not as the tool has made them: the tool itself never uses missing
 * ones.
 */
const ALTERED = /^(42P01|42703|42P07|42710|23502|23514|23P01|P0001)$/;

/** What PostgreSQL or its driver threw, in the words of the store contract. */
export function storeError(error: unknown, address: string): StoreError {
  if (error instanceof StoreError) return error;
  const {
    code = '',
    message = String(error),
    table = '',
    detail = '',
    constraint,
    column,
  } = error as Partial<Record<'code' | 'message' | 'table' | 'detail' | 'constraint' | 'column', string>>;

  if (code === '23505') {
    // `Key (valley, "Hut (no)")=(Askdal, 7) already exists.` names the columns, quoted where they must be.
    const [, named = ''] = /\(((?:"(?:[^"]|"")*"|[^"()])*)\)=\(/.exec(detail) ?? [];
    const columns = [...named.matchAll(/"((?:[^"]|"")*)"|[^", ]+/g)].map(
      ([bare, quoted]) => quoted?.replaceAll('""', '"') ?? bare,
    );
    return new StoreError({ kind: 'unique', table, columns }, message, '', error);
  }
  if (code === '54000' && message.includes('index row')) {
    return new StoreError({ kind: 'too-long', columns: [] }, message, '', error);
  }
  if (code === '23503') return new StoreError({ kind: 'foreign-key' }, message, '', error);
  if (code === '40001' || code === '40P01' || code === '55P03' || code === '57014') {
    return new StoreError({ kind: 'busy' }, `the database ${address} is busy`, 'try again in a moment', error);
  }
  const remedy = isOfPooler(code, message) ? POOLED : remedyOf(code, address);
  if (remedy !== undefined) {
    return new StoreError(
      { kind: 'unreachable' },
      `the database ${address} can not be used: ${message}`,
      remedy,
      error,
    );
  }
  const ofValue = /^(22|23502|23514|23P01|P0001)/.test(code) ? (constraint ?? column ?? '') : undefined;
  if (ALTERED.test(code)) return new StoreError({ kind: 'refused', ofValue }, message, otherHand, error);
  return new StoreError({ kind: 'defect', ofValue }, message, 'this is a defect of vantfell: please report it', error);
}

const POOLED =
  'a pooler stands before it, which gives each transaction another connection: add ?pooler=transaction to it';

/** A pooler refuses what is said when a connection begins; or the name of a statement is another connection's. */
const isOfPooler = (code: string, message: string): boolean =>
  (code === '08P01' && message.includes('startup parameter')) || code === '26000' || code === '42P05';

/** What to do where the database can't be had at all; undefined for any other error. */
function remedyOf(code: string, address: string): string | undefined {
  const name = address.split('/').at(-1);
  if (code === '3D000') return `make it, as with createdb ${name}; or name another with store: in vantfell.yaml`;
  if (code.startsWith('28')) return 'see to the user and the password of store: in vantfell.yaml, or to PGPASSWORD';
  if (code === '25006') return 'it is a replica: name the primary, or all hosts with commas between them';
  if (code === '42501') return 'give its user the right to make tables in the schema public';
  if (code === '53300') return 'it has as many connections as it takes: close some, or raise its max_connections';
  if (code === '53100') return 'its disk is full: make room, and try again';
  if (code === '55000') return 'the server takes no connections to it at the moment: see to its settings';
  const gone = /^(ECONN|ENOTFOUND|EAI_|EHOSTUNREACH|ETIMEDOUT|EPIPE|57P0|25P0[34]|08|53)/.test(code) || code === '';
  return gone
    ? 'start PostgreSQL (where systemd runs it: systemctl start postgresql), or see to ' +
        'its address; meanwhile store: sqlite:./data.db needs no server'
    : undefined;
}

const codeOf = (error: unknown): string | undefined =>
  error instanceof StoreError ? (error.cause as { code?: string } | undefined)?.code : undefined;

/** Whether the server ended a statement because it took too long. */
export const isCutOff = (error: unknown): boolean => codeOf(error) === '57014';

/** Whether a transaction that failed in this way may succeed when it is run again. */
export const isPassing = (error: unknown): boolean => ['40001', '40P01'].includes(codeOf(error) ?? '');
