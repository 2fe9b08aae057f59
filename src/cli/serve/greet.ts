import { openActs } from '../../core/access/open.ts';
import type { OpenAct } from '../../core/access/open.ts';
import { allEndpoints } from '../../core/api/endpoints.ts';
import type { Graph } from '../../core/model/graph.ts';
import { withoutPassword } from '../../core/text/without-password.ts';
import { ENV_FILE } from '../../project/env-file.ts';
import { MAILBOX } from '../../project/mailbox.ts';
import { shownStore } from '../../project/shown-path.ts';
import { table } from '../terminal/table.ts';
import { counted } from '../terminal/terminal.ts';
import type { Terminal } from '../terminal/terminal.ts';
import { wrap } from '../terminal/wrap.ts';
import type { InjectedFaults } from './fault-injection.ts';

/** What to know of a service that has just started. */
export interface Begun {
  readonly graph: Graph;
  /** Its address, without a path. */
  readonly url: string;
  /** The address of its store. */
  readonly store: string;
  readonly faults: InjectedFaults;
  readonly watching: boolean;
  /** The names of variables that come from the project's file of them. */
  readonly variables: readonly string[];
  /** Whether messages to callers go into the project's mailbox. */
  readonly hasMailbox: boolean;
  /** The address of the metrics. */
  readonly metrics: string;
  /** The address that opens the console, if there is one. */
  readonly console?: string | undefined;
  /** How many processes answer; undefined where this one does. */
  readonly workers: number | undefined;
}

export function greet(terminal: Terminal, begun: Begun): void {
  const { graph, url, store, faults, watching, variables, metrics, workers, console, hasMailbox } = begun;
  const { name, version, prefix } = graph.service;
  const endpoints = allEndpoints(graph).length;
  const open = openActs(graph);
  terminal.value({
    url,
    prefix,
    store,
    models: graph.models.length,
    endpoints,
    open,
    variables,
    metrics,
    workers: workers ?? 1,
    ...(hasMailbox ? { mailbox: MAILBOX } : {}),
    console,
  });
  const { bold, cyan, yellow } = terminal.tint;
  const { slow, fail } = faults;
  const worse = [...(slow > 0 ? [`${slow} ms slower`] : []), ...(fail > 0 ? [`${fail * 100}% of requests fail`] : [])];
  terminal.say(`${bold(name)} ${version} at ${cyan(url + prefix)}`);
  terminal.say(
    table([
      ['  store', shownStore(store)],
      ...(variables.length > 0 ? [[`  ${ENV_FILE}`, variables.join(', ')]] : []),
      ['  models', `${graph.models.length}, with ${counted(endpoints, 'endpoint')}`],
      ['  document', `${url}/openapi.json`],
      ['  metrics', metrics],
      ...(console === undefined ? [] : [['  console', console]]),
      ...(workers === undefined
        ? []
        : [['  workers', `${workers === 1 ? '1 process' : `${workers} processes`}; SIGHUP makes new ones`]]),
      ...limitLines(graph),
      ...callerLines(graph),
      ...(hasMailbox ? [['  messages', yellow(`no code sends them: they go into ${MAILBOX}`)]] : []),
      ...openLines(graph, open, yellow),
      ...(worse.length > 0 ? [['  on purpose', yellow(worse.join(', '))]] : []),
      ...(watching ? [['  watching', 'the files of this project: what changes is served at once']] : []),
    ]),
  );
  terminal.say('Ctrl+C stops it');
}

/** Whether limits hold for all instances: somebody who runs several has to know. */
function limitLines({ identity, service: { shared, limits } }: Graph): string[][] {
  if (limits.rate === undefined && identity?.login === undefined) return [];
  const where = shared === undefined ? 'by this instance alone' : `over all instances, by ${withoutPassword(shared)}`;
  return [['  limits', `counted ${where}`]];
}

function callerLines({ identity, service }: Graph): string[][] {
  if (identity === undefined) return [];
  if (identity.issuer !== undefined)
    return [['  callers', `${identity.model}s, with tokens of ${identity.issuer.issuer}`]];
  const sent = [identity.login, identity.secret].flatMap((field) => field?.member ?? []).join(' and ');
  return [['  callers', `sign in with ${sent} at POST ${service.prefix}/tokens`]];
}

const WIDE = 101;

/** What anybody may do; a service in which nobody signs in is open altogether, which is worth a colour. */
function openLines({ identity }: Graph, open: readonly OpenAct[], warn: (text: string) => string): string[][] {
  const lines = open.flatMap(({ act, of }) => wrap(`${act} ${of.join(', ')}`, WIDE, '  '));
  if (identity === undefined) {
    const all = 'this service has no identity: nobody signs in';
    return [['  open to all', warn(all)], ...lines.map((line) => ['', warn(line)])];
  }
  if (lines.length === 0) return [['  open to all', 'nothing: whoever asks for anything has to sign in']];
  return lines.map((line, at) => [at === 0 ? '  open to all' : '', line]);
}
