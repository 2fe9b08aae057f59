import { defaultFills } from '../../core/migrations/defaults.ts';
import type { Field } from '../../core/model/field.ts';
import type { Graph } from '../../core/model/graph.ts';
import type { FieldValue } from '../../core/model/scalar.ts';
import { fromText } from '../../core/model/value.ts';
import { testsOf } from '../../core/rules/tests.ts';
import { memberNames } from '../../core/tables/inside.ts';
import type { Decisions } from '../../core/tables/schema-diff.ts';
import { called } from '../../core/tables/table.ts';
import type { Fill, Table } from '../../core/tables/table.ts';
import { didYouMean } from '../../core/text/nearest.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import type { Arguments } from '../command.ts';

/** What the options of `migrate draft` say, with the names as the tables have them. */
export function readDecisions(
  given: Arguments,
  graph: Graph,
  before: readonly Table[],
  after: readonly Table[],
): { decisions: Decisions; dropped: Set<string> } {
  const renames = readRenames(words(given.rename), before, after);
  const dropped = new Set(words(given.drop).map((word) => resolveName(word, before, '--drop', 'before')));
  const fills = new Map(words(given.fill).map((word) => readFill(word, graph, after)));
  return { decisions: { renames, fills, defaults: defaultFills(graph) }, dropped };
}

const depth = (name: string): number => name.split('.').length;
const TWO_OF_A_KIND = 'name two models, or two fields';

/** Names may go round in circles: `--rename hut=cabin --rename cabin=hut`. */
function readRenames(given: readonly string[], before: readonly Table[], after: readonly Table[]): Map<string, string> {
  const said = given.map((word) => {
    const [old, now] = pair(word, '--rename', 'hut.altitude=hut.altitude_m');
    return {
      word,
      from: resolveName(old, before, '--rename', 'before'),
      to: resolveName(now, after, '--rename', 'now'),
    };
  });
  const refuse = (word: string, message: string, remedy: string): never => {
    throw new Failure(EXIT.wrongCommand, `--rename ${word}: ${message}`, remedy);
  };
  const renames = new Map<string, string>();
  for (const { word, from, to } of said) {
    const [wasModel, isModel] = [depth(from) === 1, depth(to) === 1];
    if (wasModel && !isModel) refuse(word, "a model can't become a field", TWO_OF_A_KIND);
    if (isModel && !wasModel) refuse(word, "a field can't become a model", TWO_OF_A_KIND);
    if (renames.has(from)) refuse(word, `${from} has another new name already`, 'name it once');
    const twin = [...renames].find(([, other]) => other === to)?.[0];
    if (twin !== undefined) refuse(word, `${twin} is called ${to} already`, 'name it once');
    renames.set(from, to);
  }
  const [wasThere, isThere] = [namesOf(before), namesOf(after)];
  const [froms, tos] = [new Set(renames.keys()), new Set(renames.values())];
  for (const { word, from, to } of said) {
    if (from === to && !froms.has(from.split('.')[0]!)) refuse(word, 'it has that name already', 'name what changed');
    const isTaken = wasThere.has(to) && !froms.has(to);
    const stays = isThere.has(from) && !tos.has(from);
    if (isTaken && stays) refuse(word, `${to} is nothing new, and ${from} is not gone`, 'name what changed');
    refuseElsewhere(word, from, to, renames);
  }
  return renames;
}

/** Members inside of a value are renamed in place. */
function refuseElsewhere(word: string, from: string, to: string, renames: ReadonlyMap<string, string>): void {
  const around = (name: string): string => name.split('.').slice(0, -1).join('.');
  if (depth(from) < 3 && depth(to) < 3) return;
  const outer = (name: string): string =>
    name === '' ? '' : (renames.get(name) ?? [outer(around(name)), name.split('.').at(-1)].filter(Boolean).join('.'));
  if (outer(around(from)) === around(to)) return;
  throw new Failure(
    EXIT.wrongCommand,
    `--rename ${word}: what is inside of a value can't move elsewhere`,
    'give it another name where it stands; or move it by hand, in the SQL of a migration',
  );
}

const words = (given: unknown): string[] => (Array.isArray(given) ? given.map(String) : []);

function pair(word: string, option: string, example: string): [string, string] {
  const at = word.indexOf('=');
  if (at > 0 && at < word.length) return [word.slice(0, at), word.slice(at + 1)];
  throw new Failure(EXIT.wrongCommand, `${option} ${word} has no =`, `write it as ${option} ${example}`);
}

const namesOf = (tables: readonly Table[]): Set<string> =>
  new Set(
    tables.flatMap((table) => [
      table.of,
      ...table.columns.flatMap((column) => [
        called(table, column),
        ...memberNames(column.shape, called(table, column)),
      ]),
    ]),
  );

/** A model, a field, or a relation by its own name, as the tables have it. */
function resolveName(name: string, tables: readonly Table[], option: string, when: string): string {
  const known = namesOf(tables);
  for (const candidate of [name, `${name}_id`]) if (known.has(candidate)) return candidate;
  const message =
    `${option}: there ${when === 'now' ? 'is' : 'was'} no ` +
    `${name}${when === 'now' ? '' : ' in the last snapshot of the tables'}`;
  const own = [...known].filter((other) => depth(other) === depth(name));
  throw new Failure(EXIT.wrongCommand, message, didYouMean(name, own));
}

function readFill(word: string, graph: Graph, after: readonly Table[]): [string, Fill] {
  const [name, text] = pair(word, '--fill', 'hut.valley=Askdal');
  const resolved = resolveName(name, after, '--fill', 'now');
  const [model = '', member = ''] = resolved.split('.');
  const field = graph.byName.get(model)?.byMember.get(member);
  if (field === undefined || depth(resolved) > 2)
    throw new Failure(EXIT.wrongCommand, `--fill ${name}: only whole fields of models can be filled`, 'name one');
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
