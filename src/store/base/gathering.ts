import type { Socket } from 'node:net';

/**
 * The same socket; all that is written in one turn of the event loop leaves in one piece: a write costs as much as a
 * statement.
 */
export function gathering(socket: Socket): Socket {
  const write = socket.write.bind(socket) as (...given: unknown[]) => boolean;
  let isGathering = false;
  return Object.assign(socket, {
    write(...given: unknown[]): boolean {
      if (!isGathering) {
        isGathering = true;
        socket.cork();
        setImmediate(() => {
          isGathering = false;
          socket.uncork();
        });
      }
      return write(...given);
    },
  });
}
