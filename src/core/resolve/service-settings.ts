import type { ServiceDeclaration } from '../declaration/declarations.ts';
import type { Reporter } from '../declaration/reporter.ts';
import type { CorsSettings, Replicas, ServiceSettings } from '../model/service.ts';
import { kindOfAddress } from '../model/service.ts';
import { own } from '../text/own.ts';

const SHORTEST_KEY = 32;
const UNITS: Readonly<Record<string, number>> = { kb: 1_000, mb: 1_000_000 };
const MILLISECONDS: Readonly<Record<string, number>> = { ms: 1, s: 1_000, min: 60_000, h: 3_600_000, d: 86_400_000 };

/** `64kB` in bytes; its form has been checked. */
function bytesOf(size: string): number {
  const [, count, unit] = /^(\d+) ?([km]b)$/.exec(size.toLowerCase())!;
  return Number(count) * own(UNITS, unit!)!;
}

const bytesOrNone = (size: number | string): number =>
  typeof size === 'number' || size === '0' ? Number(size) : bytesOf(size);

/** `5s` in milliseconds; its form has been checked. */
export function milliseconds(time: string): number {
  const [, count, unit = ''] = /^(\d+)([a-z]+)$/.exec(time) ?? [];
  return Number(count) * own(MILLISECONDS, unit)!;
}

const perMinute = (rate: string): number => Number(rate.split('/')[0]);

/** The settings of a service, with everything that was left out filled in. */
export function serviceSettings(declared: ServiceDeclaration, report: Reporter): ServiceSettings {
  const most = declared.paging?.most ?? Math.max(100, declared.paging?.default ?? 0);
  const usual = declared.paging?.default ?? Math.min(20, most);
  if (usual > most) {
    const message = `a page has ${usual} records by default, and may have ${most} at most`;
    report.error('empty-range', message, 'lower paging.default, or raise paging.most', ['paging', 'default']);
  }
  const keys = declared.key === undefined ? [] : typeof declared.key === 'string' ? [declared.key] : declared.key;
  keys.forEach((key, at) => {
    const bytes = Buffer.byteLength(key);
    if (bytes >= SHORTEST_KEY) return;
    const remedy = 'give it 32 bytes or more; or leave it out, and one is made and kept in .vantfell/';
    const path = typeof declared.key === 'string' ? ['key'] : ['key', at];
    report.error('short-key', `this key has ${bytes} bytes; ${SHORTEST_KEY} are the least`, remedy, path);
  });
  const store = typeof declared.store === 'object' ? declared.store.write : declared.store;
  const kind = store === undefined ? 'sqlite' : kindOfAddress(store);
  const stores = declared.stores ?? [kind];
  if (!stores.includes(kind)) {
    report.error('store-left-out', `the store is ${kind}, which \`stores\` leaves out`, `add ${kind}`, ['stores']);
  }
  const limits = declared.limits ?? {};
  return {
    name: declared.service?.name ?? '',
    version: declared.service?.version ?? '1.0.0',
    prefix: declared.service?.prefix ?? '',
    description: declared.service?.description,
    contact: declared.service?.contact,
    license: declared.service?.license,
    termsOfService: declared.service?.termsOfService,
    servers: declared.service?.servers ?? [],
    keys,
    store,
    replicas: replicasOf(declared.store),
    stores,
    isTheirs: declared.tables === 'theirs',
    isTakenOver: declared.tables === 'taken-over',
    paging: { default: usual, most },
    limits: {
      body: bytesOf(limits.body ?? '1MB'),
      rate: limits.rate === undefined || limits.rate === 'none' ? undefined : perMinute(limits.rate),
      signIn: perMinute(limits['sign-in'] ?? '10/min'),
      codes: perMinute(limits.codes ?? '10/min'),
      transaction: milliseconds(limits.transaction ?? '5s'),
      read: milliseconds(limits.read ?? '5s'),
      cascade: limits.cascade ?? 10_000,
      queue: limits.queue ?? 1_000,
      cache: bytesOrNone(limits.cache ?? '8MB'),
    },
    cors: corsSettings(declared.cors, report),
    proxies: declared.proxies ?? [],
    shared: sharedOf(declared.shared, report),
    metricsPort: declared.metrics?.port,
    consoleRole: declared.console?.role,
  };
}

/** Its form is known; only a URL's own reader knows of its port. */
function sharedOf(address: string | undefined, report: Reporter): string | undefined {
  if (address !== undefined && !URL.canParse(address)) {
    report.error('wrong-type', 'this is no address', 'write one like redis://127.0.0.1:6379', ['shared']);
  }
  return address;
}

const USUAL_LAG = '5s';

function replicasOf(declared: ServiceDeclaration['store']): Replicas | undefined {
  if (typeof declared !== 'object') return undefined;
  return { addresses: declared.read ?? [], lag: milliseconds(declared.lag ?? USUAL_LAG) };
}

const USUAL_MAX_AGE_S = 600;

/** What pages of other origins may do, and an error for each origin that no browser sends. */
function corsSettings(declared: ServiceDeclaration['cors'], report: Reporter): CorsSettings {
  const { origins = [], credentials = false, headers = [], expose = [] } = declared ?? {};
  origins.forEach((origin, at) => {
    const remedy = origin === '*' ? undefined : remedyFor(origin);
    if (remedy !== undefined)
      report.error('wrong-origin', `no browser sends the origin ${origin}`, remedy, ['cors', 'origins', at]);
  });
  if (credentials && origins.includes('*')) {
    const remedy = 'name the origins, or leave credentials out: a token in the header Authorization needs none';
    report.error('wrong-origin', 'with credentials, browsers refuse the origin *', remedy, ['cors', 'credentials']);
  }
  const age = declared?.['max-age'];
  const maxAge = age === undefined ? USUAL_MAX_AGE_S : milliseconds(age) / 1000;
  return { origins, credentials, headers, expose, maxAge };
}

/** What to write instead of an origin that can never match; undefined for one that can. */
function remedyFor(origin: string): string | undefined {
  const [, scheme, sub = '', host = '', port = '', rest = ''] =
    /^(https?:\/\/)(\*\.)?(\[[^\]]*\]|[^/:?#*]+)?(:[^/?#]*)?(.*)$/i.exec(origin) ?? [];
  if (scheme === undefined || host === '' || host.includes('@')) return 'write a scheme, a host and a port if need be';
  if (rest !== '') return `leave out ${rest}: an origin has no path`;
  if (port !== '' && port !== ':*' && !/^:\d+$/.test(port)) return 'write a port as a number, or * for any';
  if (port === (scheme.toLowerCase() === 'https://' ? ':443' : ':80'))
    return `write ${scheme}${sub}${host}: browsers leave the usual port out`;
  let sent: string;
  try {
    sent = new URL(`${scheme}${host}${port === ':*' ? '' : port}`).host;
  } catch {
    return 'write a host and a port that can be';
  }
  const written = (host + (port === ':*' ? '' : port)).toLowerCase();
  return sent === written ? undefined : `write ${scheme}${sub}${sent}`;
}
