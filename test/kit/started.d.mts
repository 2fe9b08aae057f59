import type { ChildProcess } from 'node:child_process';
import type { Readable } from 'node:stream';

/** Resolves when a program that was spawned says on a stream that it is ready; rejects where it ends without. */
export function started(child: ChildProcess, stream: Readable, text: RegExp, name: string): Promise<void>;
