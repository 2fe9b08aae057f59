import { connect, createServer } from 'node:net';
import type { AddressInfo, Socket } from 'node:net';

/** Stands between a service and its database, and cuts the connection at a message of the service's choice. */
export interface Cutting {
  /** The address of the database by way of it. */
  readonly address: string;
  /**
   * Cuts the connection that brings the n-th message from now on, counted from 1: before it gets to the database, or
   * after, so that the answer is lost; or it stays open, and nothing comes over it any more. Other connections stay.
   */
  cutAt(message: number, when: 'before' | 'after' | 'silence'): void;
  /** Whether it has cut one since. */
  hasCut(): boolean;
  close(): Promise<void>;
}

/** `address` is that of a database, as postgres://user@127.0.0.1:5432/name. */
export async function cutting(address: string): Promise<Cutting> {
  const target = new URL(address);
  const open = new Set<Socket>();
  let [left, when, isCut]: [number, 'before' | 'after' | 'silence', boolean] = [Infinity, 'before', true];
  const server = createServer((service) => {
    const database = connect(Number(target.port), target.hostname);
    const end = (): void => {
      service.destroy();
      database.destroy();
      open.delete(service);
    };
    open.add(service);
    service.on('error', end).on('close', end);
    database.on('error', end).on('close', end);
    database.pipe(service, { end: false });
    service.on('data', (bytes: Buffer) => {
      left -= 1;
      if (left !== 0) return void database.write(bytes);
      isCut = true;
      if (when === 'before') return end();
      if (when === 'silence') return void service.removeAllListeners('data').pause();
      // The answer begins to come, and gets nowhere.
      database.unpipe(service);
      database.write(bytes);
      database.once('data', end);
      database.resume();
    });
  });
  await new Promise<void>((resolve) => void server.listen(0, '127.0.0.1', resolve));
  const own = new URL(address);
  own.port = String((server.address() as AddressInfo).port);
  return {
    address: own.href,
    cutAt(message, at) {
      [left, when, isCut] = [message, at, false];
    },
    hasCut: () => isCut,
    async close() {
      for (const socket of open) socket.destroy();
      await new Promise((resolve) => server.close(resolve));
    },
  };
}
