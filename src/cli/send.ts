import { EXIT, Failure } from '../project/failure.ts';
import type { Exchange } from '../project/observed.ts';
import { requestOptions } from './ask/options.ts';
import type { SentRequest, Session } from './ask/session.ts';
import type { Command, Context } from './command.ts';

/** An answer, of this project's service or of a running one. */
interface Answer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: string;
  readonly milliseconds: number;
  /** Undefined where another process answered. */
  readonly exchange?: Exchange;
}

export const send: Command = {
  usage: 'send <method> <path> [body]',
  about: 'One request, without a server: the answer, and the SQL behind it',
  examples: [
    ["vantfell send GET '/v1/huts?limit=2'", 'as nobody in particular'],
    ['vantfell send GET /v1/stays --as member/ines', 'as somebody of the samples'],
    [
      "vantfell send PATCH '/v1/huts/{hut/grey-hut}' '{\"beds\": 38}' --as ines",
      'a sample in braces stands for its key',
    ],
    ['vantfell send POST /v1/huts - < hut.json', 'the body from standard input'],
    ['vantfell send GET /v1/huts --url http://127.0.0.1:8080', 'to a service that runs'],
  ],
  options: (yargs) =>
    requestOptions(yargs)
      .option('H', {
        alias: 'header',
        type: 'string',
        array: true,
        requiresArg: true,
        describe: "a header, as 'Name: value'; may be given again",
      })
      .option('url', { type: 'string', requiresArg: true, describe: 'the address of a running service' })
      .check(({ url }) => {
        if (url === undefined || /^https?:\/\//.test(url)) return true;
        throw new Failure(EXIT.wrongCommand, '--url must be an address', 'write it as http://127.0.0.1:8080');
      }),

  async run(context, given) {
    const { openSession } = await import('./ask/session.ts');
    const { sentRequest, readRequestOptions } = await import('./ask/request-options.ts');
    const written = readRequestOptions(given);
    const session = await openSession(context, { lasting: true });
    try {
      const request = await sentRequest(session, written);
      const answer =
        given.url === undefined ? await askHere(session, request) : await askThere(given.url as string, request);
      await showAnswer(context, answer, session.store.kind);
      return answer.status < 400 ? EXIT.done : EXIT.foundWrong;
    } finally {
      await session.close();
    }
  },
};

async function askHere(session: Session, request: SentRequest): Promise<Answer> {
  const { reply, exchange } = await session.ask(request);
  const { status, headers, body: text = '' } = reply;
  const isSilent = request.method === 'HEAD';
  return { status, headers, body: isSilent ? '' : text, milliseconds: exchange.milliseconds, exchange };
}

async function askThere(url: string, { method, target, headers, body }: SentRequest): Promise<Answer> {
  const begun = performance.now();
  try {
    const response = await fetch(new URL(target, url), {
      method,
      headers,
      ...(body === undefined ? {} : { body }),
      redirect: 'manual',
    });
    const text = await response.text();
    return {
      status: response.status,
      headers: Object.fromEntries(response.headers),
      body: text,
      milliseconds: performance.now() - begun,
    };
  } catch (error) {
    const why = error instanceof Error && error.cause instanceof Error ? error.cause.message : String(error);
    throw new Failure(
      EXIT.options,
      `${url} does not answer: ${why}`,
      'start it with vantfell serve, or leave out --url to ask without a server',
    );
  }
}

async function showAnswer({ terminal, quiet }: Context, answer: Answer, kind: string): Promise<void> {
  const { default: stringify } = await import('json-stringify-pretty-compact');
  const { statusText } = await import('./ask/request.ts');
  const { statementsText } = await import('./ask/sql-text.ts');
  const { statementsOf } = await import('../project/observed.ts');
  const { statusColor } = await import('./terminal/exchange.ts');
  const { counted } = await import('./terminal/terminal.ts');
  const { status, headers, body, milliseconds, exchange } = answer;
  const isJson = (headers['content-type'] ?? '').includes('json') && body !== '';
  const value: unknown = isJson ? JSON.parse(body) : body;
  const { bold, dim } = terminal.paint;
  const color = statusColor(status, terminal.paint);
  const shown = isJson ? stringify(value, { maxLength: 100 }) : body;
  const statements = exchange === undefined ? undefined : statementsOf(exchange);
  // Quietly, the body alone, for other programs.
  if (quiet && body !== '') terminal.show(shown);
  if (!quiet) {
    terminal.show(`${bold(color(statusText(status)))}  ${dim(`${milliseconds.toFixed(1)} ms`)}`);
    for (const [name, text] of Object.entries(headers)) terminal.show(`${dim(`${name}:`)} ${text}`);
    if (body !== '') terminal.show(`\n${shown}`);
    if (statements !== undefined) {
      terminal.show(`\n${bold(counted(statements.length, 'statement'))}`);
      if (statements.length > 0) terminal.show(statementsText(exchange!.asked, kind, terminal.paint));
    }
  }
  terminal.value({
    status,
    headers,
    body: body === '' ? null : value,
    milliseconds: rounded(milliseconds),
    ...(statements === undefined
      ? {}
      : {
          statements: statements.map(({ statement, milliseconds: time, rows }) => ({
            sql: statement.sql,
            milliseconds: rounded(time),
            rows: rows ?? null,
          })),
        }),
  });
}

const rounded = (milliseconds: number): number => Number(milliseconds.toFixed(2));
