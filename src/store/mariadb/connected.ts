import type { Socket } from 'node:net';
import { createConnection } from 'mariadb/callback';
import type { Connection, ConnectionConfig } from 'mariadb/callback';

/** The way in which the driver is given a socket. What `made` gives is connected, and may become another then. */
export const streamTo =
  (
    { host, port }: { readonly host?: string; readonly port?: number },
    made: () => Socket,
    became = same,
  ): StreamCallback =>
  (given) =>
    // To connect a socket takes back whatever its methods were replaced with.
    given(undefined, became(made().setNoDelay().connect(port!, host!)));

const same = (socket: Socket): Socket => socket;

/** As the driver's own types have it, but for what it gives. */
type StreamCallback = (given: (error: Error | undefined, socket: Socket) => void) => void;

/** A connection that is there. */
export async function connected(settings: ConnectionConfig): Promise<Connection> {
  const client = createConnection(settings);
  // A connection that breaks fails the statement that was on its way, or the next one.
  client.on('error', () => undefined);
  await new Promise<void>((resolve, reject) => {
    (client as unknown as { connect(done: (error?: Error | null) => void): void }).connect((error) =>
      error === null || error === undefined ? resolve() : reject(error),
    );
  });
  return client;
}
