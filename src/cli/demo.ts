import { cpSync, existsSync, readdirSync } from 'node:fs';
import { relative, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import stringify from 'json-stringify-pretty-compact';
import { EXIT, Failure } from '../project/failure.ts';
import { shownPath } from '../project/shown-path.ts';
import type { Command, Context } from './command.ts';
import type { LoadedProject } from './load-project.ts';
import { place } from './place.ts';
import type { Terminal } from './terminal/terminal.ts';

const DEMO = fileURLToPath(new URL('../../demo', import.meta.url));

export const demo: Command = {
  usage: 'demo [folder]',
  about: 'Make the Fell Huts, a project to look at, and show what it does',
  examples: [
    ['vantfell demo', 'in the folder fell-huts'],
    ['vantfell demo /tmp/huts', 'in another'],
  ],
  options: (yargs) =>
    yargs.positional('folder', { type: 'string', default: 'fell-huts', describe: 'where to make the project' }),

  async run(context, given) {
    const folder = resolve(given.folder as string);
    const inside: Context = { ...context, folder };
    const { terminal } = context;
    const { bold } = terminal.paint;
    const shownFolder = shownPath(folder);

    placeProject(folder, shownFolder, terminal);
    const { loadProject } = await import('./load-project.ts');
    const { table } = await import('./terminal/table.ts');
    const project = await loadProject(inside);

    terminal.show(bold('\n1. The nouns, written down'));
    terminal.show(table(project.graph.models.map((model) => [`  models/${model.name}.yaml`, model.description ?? ''])));

    const requests = await seedAndAsk(inside, project);
    if (requests === undefined) return EXIT.foundWrong;

    terminal.show(bold('\n4. The API, tested against the sample data'));
    const { runTrial } = await import('./trial/run-trial.ts');
    const { resultText, resultValue } = await import('./trial/result-text.ts');
    const ran = await runTrial(inside, project, { wanted: () => true, bail: false });
    if (ran === undefined) return EXIT.foundWrong;
    terminal.show(resultText(ran.result, ran.url, terminal.paint).replace(/^(?=.)/gm, '  '));
    const failed = ran.result.outcomes.some(({ failure }) => failure !== undefined);

    terminal.value({ folder, requests, trial: resultValue(ran.result) });
    terminal.show(bold('\nGo on from here'));
    terminal.show(
      table([
        [`  vantfell serve -C ${shownFolder}`, 'run the API, and ask it with curl'],
        [`  vantfell send GET /v1/huts -C ${shownFolder}`, 'or ask it without a server, and see its SQL'],
        [`  vantfell outline -C ${shownFolder}`, 'all models and endpoints'],
        [`  vantfell check -C ${shownFolder}`, 'after you changed a file of models/: what is wrong with it'],
        [`  vantfell trial -C ${shownFolder}`, 'and whether the API still keeps its rules'],
      ]),
    );
    return failed ? EXIT.foundWrong : EXIT.done;
  },
};

/** Copies the demo's files; a project that is there already is left as its owner has made it. */
function placeProject(folder: string, shown: string, terminal: Terminal): void {
  const standing = existsSync(folder) ? readdirSync(folder) : [];
  if (standing.includes('vantfell.yaml')) {
    terminal.say(`${shown} is there already: its files are left as they are`);
    return;
  }
  if (standing.length > 0) {
    const message = `${shown} holds other files, and no project`;
    throw new Failure(EXIT.options, message, 'name an empty or a new folder: vantfell demo my-huts');
  }
  place(shown, () => cpSync(DEMO, folder, { recursive: true }));
  terminal.say(`made the project in ${shown}`);
}

interface Projection {
  readonly request: string;
  readonly status: number;
  readonly body: unknown;
}

async function seedAndAsk(context: Context, project: LoadedProject): Promise<Projection[] | undefined> {
  const { serviceKeys } = await import('../project/project.ts');
  const { openDatabase } = await import('../project/database.ts');
  const { loadProjectSamples } = await import('./seed.ts');
  const { serviceOn } = await import('../project/serve.ts');
  const { listen } = await import('./serve/listen.ts');
  const { table } = await import('./terminal/table.ts');
  const { terminal, folder } = context;
  const { bold } = terminal.paint;
  const { store } = await openDatabase(project);
  try {
    const loaded = await loadProjectSamples(context, project, store);
    if (loaded === undefined) return undefined;
    terminal.show(bold('\n2. Their database, with sample data'));
    terminal.show(
      table(
        loaded.models.map(({ model, made, changed, unchanged }) => [
          `  ${model}`,
          made + changed + unchanged,
          'records',
        ]),
        [1],
      ),
    );
    const { address } = store;
    const shown = address.startsWith('sqlite:') ? relative(folder, address.slice('sqlite:'.length)) : address;
    terminal.show(`  in ${shown}`);

    const service = serviceOn(
      project.graph,
      store,
      serviceKeys(project).keys,
      (error) => terminal.warn(String(error)),
      {
        code: project.loaded,
      },
    );
    const largestBody = project.graph.service.limits.body;
    const server = await listen(service, { host: '127.0.0.1', port: 0, largestBody });
    try {
      terminal.show(bold('\n3. A REST API, running'));
      return await askAround(server.url + project.graph.service.prefix, terminal);
    } finally {
      await server.close();
    }
  } finally {
    await store.close();
  }
}

interface Answer {
  readonly data?: readonly { readonly id: string }[];
}

/** A few requests that show the API; the records that they create are deleted again. */
async function askAround(url: string, terminal: Terminal): Promise<Projection[]> {
  const shown: Projection[] = [];
  let token: string | undefined;
  const send = async (method: string, path: string, body?: unknown): Promise<{ status: number; answer: unknown }> => {
    const headers = {
      'content-type': 'application/json',
      ...(token === undefined ? {} : { authorization: `Bearer ${token}` }),
    };
    const sent = body === undefined ? {} : { body: JSON.stringify(body) };
    const response = await fetch(url + path, { method, headers, ...sent });
    const text = await response.text();
    return { status: response.status, answer: text === '' ? undefined : JSON.parse(text) };
  };
  const ask = async (method: string, path: string, body?: unknown): Promise<Answer> => {
    const { status, answer } = await send(method, path, body);
    const told = withoutToken(answer);
    shown.push({ request: `${method} ${path}`, status, body: told });
    showExchange(terminal, `${method} ${new URL(url).pathname}${path}`, body, status, told);
    return answer as Answer;
  };
  const firstOf = async (list: string): Promise<string | undefined> =>
    ((await send('GET', list)).answer as Answer).data?.[0]?.id;

  await ask('GET', '/huts?valley=Askdal&sort=-altitude_m&limit=2&fields=name,altitude_m,altitude_ft,warden.name');
  await ask('GET', '/messages');
  // Somebody may have changed the samples: then nobody signs in.
  for (const [who, then] of [
    [STEWARD, makeHut],
    [WALKER, bookHut],
  ] as const) {
    token = undefined;
    token = ((await ask('POST', '/tokens', who)) as { access_token?: string }).access_token;
    if (token !== undefined) await then();
  }
  return shown;

  async function makeHut(): Promise<void> {
    const hut = { name: 'Mist Hut', valley: 'Askdale', beds: 0, altitude_m: 1204, opens_on: '2027-02-30' };
    await ask('POST', '/huts', hut);
  }

  async function bookHut(): Promise<void> {
    await ask('GET', '/members?fields=name,phone&name=Aksel%20Torvmo&name=Tor%20Brattlid');
    const hut = await firstOf('/huts?slug=raven-hut');
    if (hut === undefined) return;
    const stay = { first_night: '2026-06-11', nights: 2, party: 5 };
    const booked = await ask('POST', `/huts/${hut}/book`, stay);
    await ask('POST', `/huts/${hut}/book`, { ...stay, party: 15 });
    for (const { id } of booked.data ?? []) await send('POST', `/stays/${id}/cancel`, {});
  }
}

/** Two of the samples: what one of them may do, the other may not. */
const STEWARD = { email: 'ines@fellhuts.example', passphrase: 'kettle on the ridge' };
const WALKER = { email: 'tor@fellhuts.example', passphrase: 'seven grey stones' };

/** A token is nobody's business. */
const withoutToken = (answer: unknown): unknown =>
  typeof answer === 'object' && answer !== null && 'access_token' in answer ? { ...answer, access_token: '…' } : answer;

function showExchange(
  { show, paint }: Terminal,
  request: string,
  body: unknown,
  status: number,
  answer: unknown,
): void {
  const { cyan, green, red, dim } = paint;
  show(`\n  ${cyan(request)}`);
  if (body !== undefined) show(`  ${dim(JSON.stringify(body))}`);
  const lines =
    answer === undefined
      ? []
      : stringify(answer, { maxLength: 110 })
          .split('\n')
          .map((line) => `  ${line}`);
  show([`  ${status < 400 ? green(String(status)) : red(String(status))}`, ...lines].join('\n'));
}
