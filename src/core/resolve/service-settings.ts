import type { ServiceDeclaration } from '../declaration/declarations.ts';
import type { Reporter } from '../declaration/reporter.ts';
import type { ServiceSettings, StoreKind } from '../model/service.ts';
import { own } from '../text/own.ts';

const SHORTEST_KEY = 32;
const UNITS: Readonly<Record<string, number>> = { kB: 1_000, MB: 1_000_000 };
const MILLISECONDS: Readonly<Record<string, number>> = { ms: 1, s: 1_000, min: 60_000, h: 3_600_000, d: 86_400_000 };

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
  const kind: StoreKind = declared.store?.startsWith('postgres:') === true ? 'postgres' : 'sqlite';
  const stores = declared.stores ?? [kind];
  if (!stores.includes(kind)) {
    report.error('store-left-out', `the store is ${kind}, which \`stores\` leaves out`, `add ${kind}`, ['stores']);
  }
  const limits = declared.limits ?? {};
  const [, size = '1', unit = 'MB'] = /^(\d+)(kB|MB)$/.exec(limits.body ?? '') ?? [];
  return {
    name: declared.service?.name ?? '',
    version: declared.service?.version ?? '1.0.0',
    prefix: declared.service?.prefix ?? '',
    description: declared.service?.description,
    servers: declared.service?.servers ?? [],
    keys,
    store: declared.store,
    stores,
    paging: { default: usual, most },
    limits: {
      body: Number(size) * own(UNITS, unit)!,
      rate: limits.rate === undefined || limits.rate === 'none' ? undefined : perMinute(limits.rate),
      signIn: perMinute(limits['sign-in'] ?? '10/min'),
      transaction: milliseconds(limits.transaction ?? '5s'),
      read: milliseconds(limits.read ?? '5s'),
      cascade: limits.cascade ?? 10_000,
      queue: limits.queue ?? 1_000,
    },
    origins: declared.cors?.origins ?? [],
    proxies: declared.proxies ?? [],
  };
}
