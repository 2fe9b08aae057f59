import { EXIT, Failure } from '../../project/failure.ts';
import { startServer } from '../../server/server.ts';
import type { Server } from '../../server/server.ts';

/** Starts a server. Throws a failure that names the port or host where it cannot listen. */
export async function listen(...given: Parameters<typeof startServer>): Promise<Server> {
  const { host, port } = given[1];
  try {
    return await startServer(...given);
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException;
    if (code === 'EADDRINUSE') {
      const remedy = 'stop the program that uses it, or choose another: --port 0 takes any that is free';
      throw new Failure(EXIT.options, `port ${port} at ${host} is taken`, remedy);
    }
    if (code === 'EACCES') {
      throw new Failure(EXIT.options, `port ${port} is not for this user`, 'choose one above 1023 with --port');
    }
    if (code === 'EADDRNOTAVAIL' || code === 'ENOTFOUND') {
      throw new Failure(EXIT.options, `this machine has no address ${host}`, 'choose another with --host');
    }
    throw new Failure(EXIT.options, `can not listen at ${host}:${port}: ${message}`, 'see --host and --port');
  }
}

/** The same for the metrics, whose port is declared. */
export async function listenBeside(...given: Parameters<typeof listen>): Promise<Server> {
  try {
    return await listen(...given);
  } catch (error) {
    if (!(error instanceof Failure)) throw error;
    throw new Failure(error.exit, `metrics: ${error.message}`, 'name another metrics.port; 0 takes any that is free');
  }
}
