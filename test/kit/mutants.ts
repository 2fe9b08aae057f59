import type { Reply, Request } from '../../src/core/api/message.ts';
import type { Code } from '../../src/core/change/code.ts';
import type { Grant } from '../../src/core/model/access.ts';
import type { Field, Rules } from '../../src/core/model/field.ts';
import type { Graph } from '../../src/core/model/graph.ts';
import type { Model } from '../../src/core/model/model.ts';
import type { Service } from '../../src/core/service.ts';

/** A service with one thing broken. */
export interface Mutant {
  readonly what: string;
  /** The project: the demo where it is left out, or one of `test/fixtures/sound`. */
  readonly project?: 'harbour' | 'herbarium' | 'workshop';
  /** Whose cases are run; another model's might notice too, but it takes longer. */
  readonly model: string;
  /** The models that the service works by, in the place of those that were declared. */
  readonly graph?: (graph: Graph) => Graph;
  /** Of which requests that service answers; left out: all. The others get a sound one's answer. */
  readonly only?: (request: Request) => boolean;
  readonly code?: (code: Code) => Code;
  /** Statements that change the database, before anything is tried. */
  readonly sql?: readonly string[];
  /** What stands between a client and the service. */
  readonly wrap?: (handle: Service['handle']) => Service['handle'];
}

/** The graph with one model changed. */
export const withModel =
  (name: string, change: (model: Model) => Model) =>
  (graph: Graph): Graph => {
    const models = graph.models.map((model) => (model.name === name ? change(model) : model));
    return { ...graph, models, byName: new Map(models.map((model) => [model.name, model])) };
  };

export const withField = (model: string, member: string, change: (field: Field) => Field): ((graph: Graph) => Graph) =>
  withModel(model, (one) => {
    const fields = one.fields.map((field) => (field.member === member ? change(field) : field));
    const by = (all: readonly Field[]): Map<string, Field> => new Map(all.map((field) => [field.member, field]));
    const shown = fields.filter((field) => one.shownByMember.has(field.member));
    return { ...one, fields, byMember: by(fields), shown, shownByMember: by(shown) };
  });

export const withRules = (
  model: string,
  member: string,
  rules: Partial<Record<keyof Rules, unknown>>,
): ((graph: Graph) => Graph) =>
  withField(model, member, (field) => ({ ...field, rules: { ...field.rules, ...rules } as Rules }));

export const ANYBODY: readonly Grant[] = [{ kind: 'anybody' }];
export const withAccess = (
  name: string,
  change: (access: Model['access']) => Partial<Model['access']>,
): ((graph: Graph) => Graph) =>
  withModel(name, (model) => ({ ...model, access: { ...model.access, ...change(model.access) } }));
export const withVerb = (
  name: string,
  verb: keyof Model['access']['verbs'],
  grants: readonly Grant[],
): ((graph: Graph) => Graph) => withAccess(name, ({ verbs }) => ({ verbs: { ...verbs, [verb]: grants } }));
export const without = <Value>(map: ReadonlyMap<string, Value>, key: string): Map<string, Value> =>
  new Map([...map].filter(([name]) => name !== key));

type Wrap = NonNullable<Mutant['wrap']>;
/** Another request in the place of the one that was sent. */
export const asked =
  (change: (request: Request) => Request): Wrap =>
  (handle) =>
  (request) =>
    handle(change(request));
/** Another answer in the place of the one that came. */
export const told =
  (change: (reply: Reply, request: Request) => Reply): Wrap =>
  (handle) =>
  async (request) =>
    change(await handle(request), request);

export const queryOf = ({ target }: Request): URLSearchParams => new URLSearchParams(target.split('?')[1] ?? '');
const pathOf = ({ target }: Request): string => target.split('?')[0]!;
export const withQuery = (request: Request, change: (query: URLSearchParams) => void): Request => {
  const query = queryOf(request);
  change(query);
  const text = query.toString();
  return { ...request, target: text === '' ? pathOf(request) : `${pathOf(request)}?${text}` };
};
export const withFilter = (from: RegExp, to: string): Wrap =>
  asked((request) =>
    withQuery(request, (query) => {
      const filter = query.get('filter');
      if (filter !== null) query.set('filter', filter.replace(from, to));
    }),
  );
export const withoutParameter = (name: string): Wrap =>
  asked((request) => withQuery(request, (query) => query.delete(name)));
export const withoutHeader = (name: string): Wrap =>
  asked((request) => ({ ...request, headers: { ...request.headers, [name]: undefined } }));

export type Tree = Record<string, unknown>;
const isJson = ({ body, status }: Reply): boolean => body !== undefined && status < 300;
/** The body of a good answer, changed. */
export const body = (change: (body: Tree, request: Request) => Tree): Wrap =>
  told((reply, request) =>
    isJson(reply) ? { ...reply, body: JSON.stringify(change(JSON.parse(reply.body!) as Tree, request)) } : reply,
  );
export const list = (
  change: (data: Tree[], page: Tree, request: Request) => Partial<{ data: Tree[]; page: Tree }>,
): Wrap =>
  body((whole, request) =>
    Array.isArray(whole.data) && whole.page !== undefined
      ? { ...whole, ...change(whole.data as Tree[], whole.page as Tree, request) }
      : whole,
  );
export const sent = (request: Request, change: (body: Tree) => unknown): Request => {
  if (request.body === undefined) return request;
  try {
    const given = JSON.parse(new TextDecoder().decode(request.body)) as unknown;
    const isObject = typeof given === 'object' && given !== null && !Array.isArray(given);
    return isObject ? { ...request, body: new TextEncoder().encode(JSON.stringify(change(given as Tree))) } : request;
  } catch {
    return request;
  }
};
export const status = (from: number, to: number, when: (request: Request) => boolean = () => true): Wrap =>
  told((reply, request) => (reply.status === from && when(request) ? { ...reply, status: to } : reply));
export const headers = (change: (headers: Record<string, string>) => void): Wrap =>
  told((reply) => {
    const all = { ...reply.headers };
    change(all);
    return { ...reply, headers: all };
  });

export const MUTANTS: readonly Mutant[] = [
  // Rules of fields.
  { what: 'a pattern is dropped', model: 'amenity', graph: withRules('amenity', 'slug', { pattern: undefined }) },
  {
    what: 'a greatest length is one too many',
    model: 'report',
    graph: withRules('report', 'title', { maxLength: 121 }),
  },
  {
    what: 'a greatest length is one too few',
    model: 'report',
    graph: withRules('report', 'title', { maxLength: 119 }),
  },
  { what: 'a minimum is dropped', model: 'hut', graph: withRules('hut', 'beds', { minimum: undefined }) },
  {
    what: 'an exclusive minimum is inclusive',
    model: 'supply-draw',
    graph: withRules('supply-draw', 'amount', { exclusiveMinimum: undefined, minimum: 0 }),
  },
  { what: 'a choice is missing', model: 'hut', graph: withRules('hut', 'valley', { enum: ['Askdal', 'Brattdal'] }) },
  { what: 'items may be alike', model: 'report', graph: withRules('report', 'tags', { uniqueItems: false }) },
  { what: 'a required field is not', model: 'report', graph: withRules('report', 'seen_on', { required: false }) },
  { what: 'a default is another', model: 'report', graph: withRules('report', 'severity', { default: 'minor' }) },
  { what: 'blanks are not cut off', model: 'hut', graph: withRules('hut', 'name', { trim: false }) },
  {
    what: 'letters are not brought to lower case',
    model: 'member',
    graph: withRules('member', 'email', { letters: undefined }),
  },
  { what: 'what is immutable can be changed', model: 'night', graph: withRules('night', 'date', { immutable: false }) },
  { what: 'what is read-only can be set', model: 'stay', graph: withRules('stay', 'status', { readOnly: false }) },
  {
    what: 'an e-mail address may be any text',
    model: 'member',
    graph: withField('member', 'email', (field) => ({ ...field, type: 'string' })),
  },
  {
    what: 'a slug is not derived',
    model: 'hut',
    graph: withField('hut', 'slug', ({ derivedFrom: _from, ...field }) => field),
  },
  {
    what: 'a rule across fields is dropped',
    model: 'hut',
    graph: withModel('hut', (model) => ({ ...model, rules: model.rules.slice(1) })),
  },
  {
    what: 'rules across relations are dropped',
    model: 'message',
    graph: withModel('message', (model) => ({ ...model, rules: [] })),
  },
  {
    what: 'unknown members are passed over',
    model: 'guest',
    wrap: asked((request) => sent(request, ({ no_such_member: _gone, ...rest }) => rest)),
  },
  {
    what: 'a failure points elsewhere',
    model: 'guest',
    wrap: told((reply) =>
      reply.status === 422 ? { ...reply, body: reply.body!.replaceAll('"pointer":"/', '"pointer":"/x/') } : reply,
    ),
  },
  { what: 'two records may be alike', model: 'night', sql: ['DROP INDEX nights_unique_hut_id_date'] },
  { what: 'relations lead anywhere', model: 'report', wrap: status(422, 201, ({ method }) => method === 'POST') },
  // Lists.
  {
    what: 'each page but the last is one short',
    model: 'hut',
    wrap: list((data, page) => (page.next === null ? {} : { data: data.slice(0, -1) })),
  },
  {
    what: 'pages after the first begin one too late',
    model: 'hut',
    wrap: list((data, _page, request) => (queryOf(request).has('after') ? { data: data.slice(1) } : {})),
  },
  {
    what: 'pages overlap by one',
    model: 'hut',
    wrap: list((data, _page, request) => (queryOf(request).has('after') ? { data: [data[0]!, ...data] } : {})),
  },
  { what: 'there is no way back', model: 'hut', wrap: list((_data, page) => ({ page: { ...page, prev: null } })) },
  {
    what: 'the total counts one page',
    model: 'night',
    wrap: list((data, page) => ({ page: { ...page, ...(page.total === undefined ? {} : { total: data.length }) } })),
  },
  { what: 'orders are passed over', model: 'hut', wrap: withoutParameter('sort') },
  {
    what: 'falling orders rise',
    model: 'hut',
    wrap: asked((request) =>
      withQuery(request, (query) => query.has('sort') && query.set('sort', query.get('sort')!.replaceAll('-', ''))),
    ),
  },
  { what: 'an offset is passed over', model: 'hut', wrap: withoutParameter('offset') },
  {
    what: 'a view is passed over',
    model: 'hut',
    wrap: asked((request) =>
      withQuery(
        request,
        (query) => query.get('view') === 'card' && query.delete('view') === undefined && query.set('view', 'default'),
      ),
    ),
  },
  { what: 'fields are passed over', model: 'report', wrap: withoutParameter('fields') },
  { what: '>= is >', model: 'hut', wrap: withFilter(/>=/, '>') },
  { what: '< is <=', model: 'hut', wrap: withFilter(/ < /, ' <= ') },
  { what: 'NOT is passed over', model: 'hut', wrap: withFilter(/^NOT /, '') },
  { what: 'IS NULL is IS NOT NULL', model: 'report', wrap: withFilter(/IS NULL/, 'IS NOT NULL') },
  { what: 'IN takes the first alone', model: 'hut', wrap: withFilter(/IN \(([^,]+), .*\)/, '= $1') },
  {
    what: 'BETWEEN leaves out its upper end',
    model: 'hut',
    wrap: withFilter(/^(\S+) BETWEEN (.+) AND (.+)$/, '$1 >= $2 AND $1 < $3'),
  },
  { what: 'LIKE is =', model: 'hut', wrap: withFilter(/ LIKE /, ' = ') },
  { what: 'CASEI looks at the case', model: 'hut', wrap: withFilter(/CASEI\((.*?)\) = CASEI\((.*)\)/, '$1 = $2') },
  { what: 'arrays that contain are any', model: 'report', wrap: withFilter(/A_CONTAINS/, 'A_OVERLAPS') },
  { what: 'equality is passed over', model: 'hut', wrap: withoutParameter('valley') },
  {
    what: 'related records are others',
    model: 'stay',
    wrap: list((data) => ({
      data: data.map((one, at) => ('night' in one ? { ...one, night: data[(at + 1) % data.length]!.night } : one)),
    })),
  },
  // Who may do and see what.
  {
    what: 'a list shows what is for others',
    model: 'message',
    only: ({ method, target }) => method === 'GET' && target.startsWith('/v1/messages?'),
    graph: withVerb('message', 'read', [{ kind: 'signed-in' }]),
  },
  {
    what: 'a read shows what is for others',
    model: 'message',
    only: ({ method, target }) => method === 'GET' && target.startsWith('/v1/messages/'),
    graph: withVerb('message', 'read', [{ kind: 'signed-in' }]),
  },
  {
    what: 'an include shows what is for others',
    model: 'hut',
    only: ({ target }) => target.includes('include='),
    graph: withVerb('member', 'read', ANYBODY),
  },
  {
    what: 'a list within a record shows what is for others',
    model: 'guest',
    only: ({ target }) => /\/stays\/[^/]+\/guests/.test(target),
    graph: withVerb('stay', 'read', ANYBODY),
  },
  {
    what: 'anybody who is signed in may change',
    model: 'hut',
    graph: withVerb('hut', 'update', [{ kind: 'signed-in' }]),
  },
  {
    what: 'owners may not change',
    model: 'report',
    graph: withVerb('report', 'update', [{ kind: 'role', role: 'steward' }]),
  },
  {
    what: 'anybody who is signed in may delete',
    model: 'report',
    graph: withVerb('report', 'delete', [{ kind: 'signed-in' }]),
  },
  {
    what: 'a hidden field is shown',
    model: 'member',
    graph: withAccess('member', ({ fields }) => ({ fields: without(fields, 'phone') })),
  },
  {
    what: 'a hidden field can be filtered by',
    model: 'member',
    only: ({ target }) => target.includes('filter='),
    graph: withAccess('member', ({ fields }) => ({ fields: without(fields, 'phone') })),
  },
  {
    what: 'members give themselves roles',
    model: 'member',
    graph: withAccess('member', ({ set }) => ({ set: without(set, 'roles') })),
  },
  { what: 'a journal is for everybody', model: 'stay', graph: withVerb('stay', 'journal', ANYBODY) },
  {
    what: 'an operation is for everybody',
    model: 'stay',
    graph: withAccess('stay', ({ operations }) => ({ operations: new Map([...operations, ['cancel', ANYBODY]]) })),
  },
  {
    what: 'what is hidden is 403, not 404',
    model: 'message',
    wrap: status(404, 403, ({ method }) => method !== 'GET'),
  },
  { what: 'strangers get 403, not 401', model: 'profile', wrap: status(401, 403) },
  // Writes.
  { what: 'a draw is not taken', model: 'stay', graph: withModel('stay', (model) => ({ ...model, draws: [] })) },
  {
    what: 'a deleted record gives nothing back',
    model: 'stay',
    only: ({ method }) => method === 'DELETE',
    graph: withModel('stay', (model) => ({ ...model, draws: [] })),
  },
  {
    what: 'a change moves no difference',
    model: 'stay',
    only: ({ method }) => method === 'PATCH',
    graph: withModel('stay', (model) => ({ ...model, draws: [] })),
  },
  {
    what: 'a stock is put back after a draw',
    model: 'supply-draw',
    sql: [
      'CREATE TRIGGER generous AFTER UPDATE ON supplies WHEN NEW.quantity < OLD.quantity ' +
        'BEGIN UPDATE supplies SET quantity = OLD.quantity ' +
        'WHERE id = OLD.id; END',
    ],
  },
  {
    what: 'changes are not in the journal',
    model: 'stay',
    sql: [
      'CREATE TRIGGER forgetful AFTER INSERT ON vantfell_journal WHEN NEW.action = ' +
        "'update' BEGIN DELETE FROM vantfell_journal " +
        'WHERE id = NEW.id; END',
    ],
  },
  {
    what: 'a journal goes with its record',
    model: 'hut',
    sql: [
      'CREATE TRIGGER gone AFTER DELETE ON huts BEGIN DELETE FROM vantfell_journal WHERE record = OLD.id; END',
      'CREATE TRIGGER later AFTER INSERT ON vantfell_journal WHEN NEW.action = ' +
        "'delete' BEGIN DELETE FROM vantfell_journal " +
        'WHERE id = NEW.id; END',
    ],
  },
  {
    what: 'an ETag stays as it was',
    model: 'hut',
    wrap: headers((all) => void (all.etag !== undefined && (all.etag = '"same-same"'))),
  },
  { what: 'If-Match is passed over', model: 'hut', wrap: withoutHeader('if-match') },
  { what: 'If-None-Match is passed over', model: 'hut', wrap: withoutHeader('if-none-match') },
  { what: 'Idempotency-Key is passed over', model: 'report', wrap: withoutHeader('idempotency-key') },
  {
    what: 'of many records the good ones are made',
    model: 'guest',
    wrap: (handle) => async (request) => {
      const reply = await handle(request);
      if (request.method !== 'POST' || reply.status !== 422) return reply;
      const all = JSON.parse(new TextDecoder().decode(request.body)) as unknown;
      if (Array.isArray(all))
        for (const one of all) await handle({ ...request, body: new TextEncoder().encode(JSON.stringify(one)) });
      return reply;
    },
  },
  {
    what: 'PUT keeps what is left out',
    model: 'hut',
    wrap: asked((request) => (request.method === 'PUT' ? { ...request, method: 'PATCH' } : request)),
  },
  {
    what: 'a JSON Patch changes nothing',
    model: 'hut',
    wrap: asked((request) =>
      String(request.headers['content-type']).includes('json-patch')
        ? { ...request, body: new TextEncoder().encode('[]') }
        : request,
    ),
  },
  {
    what: 'a delete deletes nothing',
    model: 'guest',
    wrap: (handle) => (request) =>
      request.method === 'DELETE' && request.headers['if-match'] === undefined
        ? Promise.resolve({ status: 204, headers: {} })
        : handle(request),
  },
  {
    what: 'links are passed over',
    model: 'hut',
    wrap: asked((request) => sent(request, ({ amenity_ids: _gone, ...rest }) => rest)),
  },
  { what: 'a new record is 200, not 201', model: 'guest', wrap: status(201, 200) },
  { what: 'a new record has no Location', model: 'guest', wrap: headers((all) => delete all.location) },
  {
    what: 'a member leaks',
    model: 'guest',
    wrap: body((whole) =>
      Array.isArray(whole.data) || typeof whole.data !== 'object'
        ? whole
        : { ...whole, data: { ...(whole.data as Tree), row: 7 } },
    ),
  },
  {
    what: 'a decimal is a number',
    model: 'night',
    wrap: body((whole) => {
      const data = whole.data as Tree;
      return data.price === undefined ? whole : { ...whole, data: { ...data, price: Number(data.price) } };
    }),
  },
  {
    what: 'problems are plain JSON',
    model: 'guest',
    wrap: told((reply) =>
      reply.status >= 400 ? { ...reply, headers: { ...reply.headers, 'content-type': 'application/json' } } : reply,
    ),
  },
  {
    what: 'failed sign-ins have no limit',
    model: 'member',
    graph: (graph) => ({
      ...graph,
      service: { ...graph.service, limits: { ...graph.service.limits, signIn: 1_000_000 } },
    }),
  },
  { what: 'a hook does not run', model: 'stay', code: (code) => ({ ...code, hooks: new Map() }) },
];
