import type { Caller } from '../../expression/context.ts';
import { VERIFIED } from '../../model/access.ts';
import type { Grant, Verb } from '../../model/access.ts';
import { asksWho } from '../../model/expression.ts';
import type { Expression } from '../../model/expression.ts';
import { modelOf } from '../../model/graph.ts';
import type { Graph } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import type { Relation, Step, Via } from '../../model/relation.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { keyTextOf } from '../../search/records.ts';
import type { Records, Row } from '../../search/records.ts';
import { relatedRows, valueOver } from '../../search/related.ts';
import type { Surroundings } from '../../search/related.ts';

type Grants = readonly Grant[];

/** The service itself, which may do everything. */
export const ITSELF = 'the service itself';

/** Who asks: a caller, nobody, or the service itself. */
export type Who = Caller | null | typeof ITSELF;

const callerOf = (who: Who): Caller | null => (who === ITSELF ? null : who);

/** Who may do and see what, worked out in plain JavaScript from the grants and all records. */
export interface Oracle {
  readonly models: ReadonlyMap<string, Model>;
  /** Whether anybody can sign in. */
  readonly hasIdentity: boolean;
  /** Whether one of these is held on a record, which need not be stored yet. */
  holds(grants: Grants, model: Model, row: Row, who: Who): boolean;
  /** Whether one of these could be held by such a caller, whatever the record. */
  could(grants: Grants, model: Model, who: Who): boolean;
  /** Whether one of these is held by such a caller, whatever the record. */
  always(grants: Grants, model: Model, who: Who): boolean;
  /** Whether signing in could give one of these. */
  helps(grants: Grants, model: Model, who: Who): boolean;
  may(model: Model, verb: Verb, row: Row, who: Who): boolean;
  sees(model: Model, member: string, row: Row, who: Who): boolean;
  /** What somebody reads of a stored member: undefined where it is left out. */
  seen(model: Model, member: string, row: Row, who: Who): FieldValue | undefined;
  related(model: Model, via: Step | Via, row: Row): readonly Row[];
  /** The value of an expression over a record, by the service's own authority. */
  valueOf(expression: Expression, model: Model, row: Row, who?: Who): FieldValue;
}

/** The records that an oracle judges by, and the time that conditions ask for. */
type OracleData = Surroundings;

const keyOf = (model: Model, row: Row): FieldValue => row[model.key.member]!;

/** `now` gives the time that conditions ask for. */
export function oracleOf(graph: Graph, records: Records, now: () => Date): Oracle {
  const data: OracleData = { graph, records, now };
  const may: Oracle['may'] = (model, verb, row, who) => holds(data, model.access.verbs[verb], model, row, who);
  const sees: Oracle['sees'] = (model, member, row, who) => {
    const grants = model.access.fields.get(member);
    return grants === undefined || holds(data, grants, model, row, who);
  };
  return {
    models: graph.byName,
    hasIdentity: graph.identity !== undefined,
    holds: (grants, model, row, who) => holds(data, grants, model, row, who),
    could: (grants, model, who) => could(data, grants, model, who),
    always: (grants, model, who) => always(data, grants, model, who),
    helps: (grants, model, who) => who === null && graph.identity !== undefined && couldBeHeld(data, grants, model),
    may,
    sees,
    related: (model, via, row) => relatedRows(data, model, via, row),
    valueOf: (expression, model, row, who = null) => valueOver(data, expression, model, row, callerOf(who)),
    seen(model, member, row, who) {
      if (!sees(model, member, row, who)) return undefined;
      const relation = model.relations.find(({ field }) => field.member === member);
      const links = model.links.find((one) => one.member === member);
      if (relation === undefined && links === undefined) return row[member] ?? null;
      const via = relation ?? links!;
      const target = modelOf(graph, via.target);
      const read = relatedRows(data, model, via, row)
        .filter((other) => may(target, 'read', other, who))
        .map((other) => keyOf(target, other));
      return links === undefined ? (read[0] ?? null) : inOrder(read);
    },
  };
}

/** Keys in the order in which records show them. */
export const inOrder = (keys: readonly FieldValue[]): FieldValue[] =>
  [...keys].sort((one, other) =>
    typeof one === 'number' ? one - (other as number) : keyTextOf(one) < keyTextOf(other) ? -1 : 1,
  );

/** Whether a path of relations leads from a record to the caller. */
function leadsTo({ graph, records }: OracleData, model: Model, path: readonly Relation[], row: Row, caller: Caller) {
  let at: Row | undefined = row;
  let over = model;
  for (const step of path) {
    at = at && records.byKey(step.target, at[step.field.member]);
    over = modelOf(graph, step.target);
  }
  return at !== undefined && keyTextOf(keyOf(over, at)) === keyTextOf(caller.key);
}

/** Whether a caller has proved their address. */
export const isVerified = (who: Exclude<Who, typeof ITSELF>): boolean => who?.roles.includes(VERIFIED) === true;

function holds(data: OracleData, grants: Grants, model: Model, row: Row, who: Who): boolean {
  if (who === ITSELF) return true;
  return grants.some((grant) => {
    switch (grant.kind) {
      case 'anybody':
        return true;
      case 'signed-in':
        return who !== null;
      case 'role':
        return who?.roles.includes(grant.role) === true;
      case 'verified':
        return isVerified(who);
      case 'owner':
        return who !== null && model.owner !== undefined && leadsTo(data, model, model.owner, row, who);
      case 'path':
        return who !== null && leadsTo(data, model, grant.path, row, who);
      case 'parent': {
        const whole = modelOf(data.graph, model.parent!.target);
        const parent = data.records.byKey(whole.name, row[model.parent!.field.member]);
        return parent !== undefined && holds(data, whole.access.verbs[grant.verb], whole, parent, who);
      }
      case 'where':
        return valueOver(data, grant.where, model, row, who) === true;
      default:
        return false;
    }
  });
}

function could(data: OracleData, grants: Grants, model: Model, who: Who): boolean {
  if (who === ITSELF) return true;
  return grants.some((grant) => {
    if (grant.kind === 'anybody' || grant.kind === 'where') return true;
    if (grant.kind === 'nobody' || grant.kind === 'maker') return false;
    if (grant.kind === 'role') return who?.roles.includes(grant.role) === true;
    if (grant.kind === 'verified') return isVerified(who);
    if (grant.kind === 'owner') return who !== null && model.owner !== undefined;
    if (grant.kind !== 'parent') return who !== null;
    const whole = modelOf(data.graph, model.parent!.target);
    return could(data, whole.access.verbs[grant.verb], whole, who);
  });
}

function always(data: OracleData, grants: Grants, model: Model, who: Who): boolean {
  if (who === ITSELF) return true;
  return grants.some((grant) => {
    if (grant.kind === 'anybody') return true;
    if (grant.kind === 'signed-in') return who !== null;
    if (grant.kind === 'role') return who?.roles.includes(grant.role) === true;
    if (grant.kind === 'verified') return isVerified(who);
    if (grant.kind !== 'parent') return false;
    const whole = modelOf(data.graph, model.parent!.target);
    return always(data, whole.access.verbs[grant.verb], whole, who);
  });
}

function couldBeHeld(data: OracleData, grants: Grants, model: Model): boolean {
  return grants.some((grant) => {
    if (grant.kind === 'where') return asksWho(grant.where);
    if (grant.kind !== 'parent') return !['nobody', 'maker', 'anybody'].includes(grant.kind);
    const whole = modelOf(data.graph, model.parent!.target);
    return couldBeHeld(data, whole.access.verbs[grant.verb], whole);
  });
}
