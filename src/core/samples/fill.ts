import { HttpProblem } from '../api/problems.ts';
import { CodeError } from '../change/code.ts';
import { nested } from '../change/unit-of-work.ts';
import type { Writes } from '../change/writes.ts';
import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import { exampleValue } from '../rules/examples.ts';
import type { KnownValues } from '../rules/examples.ts';
import { bodyReader } from '../rules/schema.ts';
import { findRecord } from '../search/find-record.ts';
import type { Wanted } from '../search/find-record.ts';
import type { Records, Row } from '../search/records.ts';

/** What was made where samples have none, and what could not be. */
export interface Filled {
  /** How many records were made. */
  readonly made: number;
  /** The keys of callers that were made, by names of their own. */
  readonly people: ReadonlyMap<string, FieldValue>;
  readonly obstacles: readonly { readonly model: string; readonly why: string }[];
}

/** So many records of a model without samples are made. */
const MADE = 2;

/**
 * Makes what samples have none of, so that every grant, list and rule meets something: records of each model, a caller
 * of each role, and one without any. `there` are all records before, and `read` gives them as they stand.
 */
export async function fillSamples(
  graph: Graph,
  writes: Writes,
  known: KnownValues,
  there: Records,
  read: () => Promise<Records>,
  now: Date,
): Promise<Filled> {
  const people = new Map<string, FieldValue>();
  const obstacles: { model: string; why: string }[] = [];
  let records = there;
  let [turns, count] = [0, 0];

  async function make(model: Model, wanted: Wanted): Promise<FieldValue | undefined> {
    const found = findRecord(
      {
        around: { graph, records, now: () => now },
        earlier: () => [],
        turn: () => (turns += 1),
        value: ({ name }, field, turn) => exampleValue(field, turn * 7, known.get(`${name}.${field.member}`) ?? []),
        mayMake: () => false,
        isGiven: () => true,
      },
      model,
      wanted,
    );
    const values = found.drafts.at(-1)?.values;
    const told = found.obstacle ?? (values === undefined ? 'nothing was found' : undefined);
    const made = told === undefined ? await created(writes, model, values!) : { why: told };
    if ('why' in made) {
      obstacles.push({ model: model.name, why: made.why });
      return undefined;
    }
    count += 1;
    records = await read();
    return made.key;
  }

  const { identity } = graph;
  if (identity !== undefined && identity.issuer === undefined) {
    const model = modelOf(graph, identity.model);
    const missing = missingRoles(graph, records.allOf(model.name), identity.roles);
    for (const { name, given } of missing) {
      const key = await make(model, { given });
      if (key !== undefined) people.set(name, key);
    }
  }
  for (const model of graph.models) {
    for (let made = records.allOf(model.name).length; made < MADE; made += 1) {
      if ((await make(model, {})) === undefined) break;
    }
  }
  return { made: count, people, obstacles };
}

async function created(
  writes: Writes,
  model: Model,
  values: Row,
): Promise<{ readonly key: FieldValue } | { readonly why: string }> {
  const own = Object.entries(values).filter(
    ([member, value]) => value !== null && (member !== model.key.member || model.keyKind === 'field'),
  );
  const { values: given, failures } = bodyReader(model, 'load')(Object.fromEntries(own));
  if (failures.length > 0) return { why: failures[0]!.detail };
  const changes = writes.changesOf(model);
  const hashed = await changes.hashSecrets(given);
  try {
    return await writes.run(null, (work) => nested(work, (inner) => changes.create(inner, hashed)));
  } catch (error) {
    // Code that throws fails its own cases.
    if (error instanceof CodeError) return { why: error.message };
    if (!(error instanceof HttpProblem)) throw error;
    return { why: error.options.errors?.[0]?.detail ?? error.message };
  }
}

/** Roles that nobody of the samples has, and nobody without a role. */
function missingRoles(graph: Graph, rows: readonly Row[], roles: Field | undefined) {
  const { identity } = graph;
  const rolesOf = (row: Row): string[] => (roles === undefined ? [] : ([row[roles.member] ?? []].flat() as string[]));
  const held = new Set(rows.flatMap(rolesOf));
  const isList = roles?.type === 'array';
  const asked = roles === undefined ? [] : [...rolesInGrants(graph)].filter((role) => !held.has(role));
  const missing = asked.map((role) => ({
    name: `made-up-${role}`,
    given: { [roles!.member]: isList ? [role] : role },
  }));
  const isBareThere = rows.some((row) => rolesOf(row).every((role) => !rolesInGrants(graph).has(role)));
  const bare = roles === undefined ? {} : isList ? { [roles.member]: [] } : roles.rules.required ? undefined : {};
  // All samples have proved their address: one caller has not.
  const isWanted = !isBareThere || identity?.codes?.verify !== undefined;
  if (isWanted && bare !== undefined) missing.push({ name: 'made-up', given: bare });
  return missing;
}

function rolesInGrants({ models }: Graph): Set<string> {
  const grants = models.flatMap(({ access }) => [
    ...Object.values(access.verbs).flat(),
    ...[access.operations, access.fields, access.set].flatMap((named) => [...named.values()].flat()),
  ]);
  return new Set(grants.flatMap((grant) => (grant.kind === 'role' ? [grant.role] : [])));
}
