// A request as a person writes it elsewhere.
import type { Entry } from './trail.ts';
import type { Model, Sent } from './wire.ts';

const quoted = (text: string): string => `'${text.replaceAll("'", `'\\''`)}'`;

/** As a command of curl, with a token that is made where it is run. */
export function asCurl({ as, method, target, headers = {}, body }: Sent, origin: string): string {
  const lines = [
    `curl ${method === 'GET' ? '' : `-X ${method} `}${quoted(origin + target)}`,
    ...(as === null ? [] : [`-H "Authorization: Bearer $(vantfell token ${as})"`]),
    ...Object.entries(headers).map(([name, value]) => `-H ${quoted(`${name}: ${value}`)}`),
    ...(body == null ? [] : [`-d ${quoted(body)}`]),
  ];
  return lines.join(' \\\n  ');
}

const code = (value: unknown): string => JSON.stringify(value, undefined, 2).replaceAll(/"([a-z_]\w*)":/gi, '$1:');

/** As a call of the exported client; undefined where that has none for it. */
export function asCall({ method, target, body }: Sent, models: readonly Model[]): string | undefined {
  const [path = '', query = ''] = target.split('?');
  const model = [...models]
    .sort((one, other) => other.path.length - one.path.length)
    .find((one) => `${path}/`.startsWith(`${one.path}/`));
  if (model === undefined) return undefined;
  const [key, verb, ...more] = path.slice(model.path.length).split('/').filter(Boolean).map(decodeURIComponent);
  if (more.length > 0) return undefined;
  const collection = `api.${model.plural.replaceAll('-', '_')}`;
  const options = optionsOf(new URLSearchParams(query));
  const given = options === undefined ? '' : `, ${options}`;
  const input = body == null ? '' : code(JSON.parse(body));
  const name = key === undefined ? '' : JSON.stringify(key);
  if (verb !== undefined) return `await ${collection}.${verb}(${[name, input].filter(Boolean).join(', ')});`;
  if (key === undefined)
    return method === 'POST' ? `await ${collection}.create(${input});` : `await ${collection}.list(${options ?? ''});`;
  const verbs: Record<string, string> = { GET: 'read', PATCH: 'update', PUT: 'replace', DELETE: 'delete' };
  const called = new Map(Object.entries(verbs)).get(method);
  if (called === undefined) return undefined;
  return `await ${collection}.${called}(${[name, input].filter(Boolean).join(', ')}${method === 'GET' ? given : ''});`;
}

const LISTS = ['fields', 'include', 'sort'];

function optionsOf(query: URLSearchParams): string | undefined {
  const entries = [...query].map(([name, value]): [string, unknown] => {
    if (LISTS.includes(name)) return [name, value.split(',')];
    if (name === 'limit' || name === 'offset') return [name, Number(value)];
    return [name, value === 'true' ? true : value];
  });
  return entries.length === 0 ? undefined : code(Object.fromEntries(entries));
}

/** An answer's body over several lines, where it is JSON. */
export const readableBody = ({ value, answer }: Pick<Entry, 'value' | 'answer'>): string =>
  value === undefined ? answer.body : JSON.stringify(value, undefined, 2);
