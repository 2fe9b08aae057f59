import type { TracedStatement } from '../../store/traced.ts';
import { counted } from './terminal.ts';
import type { Terminal } from './terminal.ts';

/** The colour of a status. */
export const statusColor = (status: number, paint: Terminal['paint']): ((text: string) => string) =>
  status >= 500 ? paint.red : status >= 400 ? paint.yellow : paint.green;

/** How many rows a statement gave, or that it failed. */
export const rowsText = ({ rows }: TracedStatement): string => (rows === undefined ? 'failed' : counted(rows, 'row'));
