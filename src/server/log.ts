import { pino } from 'pino';
import type { Logger } from 'pino';

/** Warnings and defects as JSON lines on standard error. */
export const makeLog = (): Logger => pino({ level: 'warn' }, pino.destination({ dest: 2, sync: true }));
