import { didYouMean } from '../../core/declaration/nearest.ts';
import { defaultFills } from '../../core/migrations/defaults.ts';
import type { Field, FieldValue, Graph } from '../../core/model/graph.ts';
import { fromText } from '../../core/model/value.ts';
import { testsOf } from '../../core/rules/tests.ts';
import type { Decisions, Fill } from '../../core/tables/redesign.ts';
import { called } from '../../core/tables/table.ts';
import type { Table } from '../../core/tables/table.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import type { Arguments } from '../command.ts';

/** What the options of `migrate draft` say, with the names as the tables have them. */
export function readDecisions(
  given: Arguments,
  graph: Graph,
  before: readonly Table[],
  after: readonly Table[],
): { decisions: Decisions; dropped: Set<string> } {
  const renames = new Map<string, string>();
  for (const word of words(given.rename)) {
    const [old, now] = pair(word, '--rename', 'hut.altitude=hut.altitude_m');
    const from = resolveName(old, before, '--rename', 'before');
    const to = resolveName(now, after, '--rename', 'now');
    if (from.includes('.') !== to.includes('.')) {
      throw new Failure(
        EXIT.wrongCommand,
        `--rename ${word}: a model can't become a field`,
        'name two models, or two fields',
      );
    }
    const taken = namesOf(before).has(to) && !renames.has(to);
    if (taken && namesOf(after).has(from)) {
      throw new Failure(
        EXIT.wrongCommand,
        `--rename ${word}: ${to} is nothing new, and ${from} is not gone`,
        'name what changed',
      );
    }
    renames.set(from, to);
  }
  const dropped = new Set(words(given.drop).map((word) => resolveName(word, before, '--drop', 'before')));
  const fills = new Map(words(given.fill).map((word) => readFill(word, graph, after)));
  return { decisions: { renames, fills, defaults: defaultFills(graph) }, dropped };
}

const words = (given: unknown): string[] => (Array.isArray(given) ? given.map(String) : []);

function pair(word: string, option: string, example: string): [string, string] {
  const at = word.indexOf('=');
  if (at > 0 && at < word.length) return [word.slice(0, at), word.slice(at + 1)];
  throw new Failure(EXIT.wrongCommand, `${option} ${word} has no =`, `write it as ${option} ${example}`);
}

const namesOf = (tables: readonly Table[]): Set<string> =>
  new Set(tables.flatMap((table) => [table.of, ...table.columns.map((column) => called(table, column))]));

/** A model, a field, or a relation by its own name, as the tables have it. */
function resolveName(name: string, tables: readonly Table[], option: string, when: string): string {
  const known = namesOf(tables);
  for (const candidate of [name, `${name}_id`]) if (known.has(candidate)) return candidate;
  const message = `${option}: there ${when === 'now' ? 'is' : 'was'} no ${name}${when === 'now' ? '' : ' in the last picture of the tables'}`;
  const own = [...known].filter((other) => other.includes('.') === name.includes('.'));
  throw new Failure(EXIT.wrongCommand, message, didYouMean(name, own));
}

function readFill(word: string, graph: Graph, after: readonly Table[]): [string, Fill] {
  const [name, text] = pair(word, '--fill', 'hut.valley=Askdal');
  const resolved = resolveName(name, after, '--fill', 'now');
  const [model = '', member = ''] = resolved.split('.');
  const field = graph.byName.get(model)?.byMember.get(member);
  if (field === undefined)
    throw new Failure(EXIT.wrongCommand, `--fill ${name}: only fields of models can be filled`, 'name one');
  return [resolved, { value: readValue(field, text, word) }];
}

function readValue(field: Field, text: string, word: string): NonNullable<FieldValue> {
  const nested = field.type === 'json' || field.type === 'array' || field.type === 'object';
  const read = nested ? parsed(text) : fromText(field, text);
  const broken =
    read === undefined
      ? 'must be JSON'
      : 'fault' in read
        ? read.fault.detail
        : testsOf(field).find(({ holds }) => !holds(read.value!))?.says;
  if (broken !== undefined)
    throw new Failure(EXIT.wrongCommand, `--fill ${word}: the value ${broken}`, 'give one that keeps the rules');
  return (read as { value: NonNullable<FieldValue> }).value;
}

function parsed(text: string): { value: FieldValue } | undefined {
  try {
    return { value: JSON.parse(text) as FieldValue };
  } catch {
    return undefined;
  }
}
