import { allEndpoints } from '../../core/api/endpoints.ts';
import type { Service } from '../../core/service.ts';
import { withConsole } from '../../server/console/console.ts';
import { CONSOLE_PATH, keyDoor } from '../../server/console/door.ts';
import type { KeyDoor } from '../../server/console/door.ts';
import { signInDoor } from '../../server/console/sign-in-door.ts';
import type { News, ProjectConsole } from '../console/parts.ts';
import type { Context } from '../command.ts';
import type { ServeLog } from './log.ts';
import { LOOPBACK } from './opener.ts';
import type { Running } from './running.ts';

type Answering = Pick<Service, 'handle' | 'refuse'>;

/** The names by which a browser of this machine calls it. */
const NAMES = ['127.0.0.1', 'localhost', '[::1]'];

/** The console beside a service. */
export interface Console {
  around(service: Answering): Answering;
  /** The address that opens it: once, where it needs no signing in. */
  address(url: string): string;
  settled(of: Running): Promise<void>;
}

interface Wanted {
  readonly host: string;
  readonly isWanted: boolean;
  readonly first: Running;
  readonly log: ServeLog;
  readonly news: News;
  current(): Running;
}

/** No console where it is not wanted, where others are served and no role is let in, or where the API has its path. */
export function consoleFor(
  { terminal }: Context,
  { host, isWanted, first, current, log, news }: Wanted,
): Console | undefined {
  const isLocal = LOOPBACK.test(host);
  const isOpen = isLocal || first.project.graph.service.consoleRole !== undefined;
  if (!isWanted || !isOpen || hasItsPath(first)) return undefined;
  let url = '';
  const withKey: KeyDoor | undefined = isLocal
    ? keyDoor([...NAMES, host], () => {
        terminal.say(`the console was opened; another address for it is ${withKey!.address(url)}`);
      })
    : undefined;
  let parts: Promise<ProjectConsole> | undefined;
  // What is behind the door is loaded when somebody comes in: a service starts without it.
  const behind = (): Promise<ProjectConsole> =>
    (parts ??= import('../console/parts.ts').then(({ projectConsole }) =>
      projectConsole(current, { report: (error) => log.defect(error, 'console'), code: log.code }, { news, isLocal }),
    ));
  return {
    around: (service) => withConsole(service, withKey ?? signInDoor(current), behind),
    address: (at) => withKey?.address((url = at)) ?? `${at}${CONSOLE_PATH}`,
    settled: async (of) => (await parts)?.settled(of),
  };
}

const hasItsPath = ({ project }: Running): boolean =>
  allEndpoints(project.graph).some(({ path }) => path === CONSOLE_PATH || path.startsWith(`${CONSOLE_PATH}/`));
