import type { Grant } from '../model/access.ts';
import { childrenOf } from '../model/expression.ts';
import type { Expression, List, Many } from '../model/expression.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { isReverse } from '../model/relation.ts';
import type { Links, Step } from '../model/relation.ts';

/** Something that an expression shows to readers who could not see it otherwise. */
export interface Revealed {
  /** What it is: `phone`, or `a member's name`. */
  readonly what: string;
}

type Grants = readonly Grant[];

/** Whose members the names of an expression are. */
interface Place {
  readonly over: Model;
  /** They are those of the record that shows the value. */
  readonly own: boolean;
  /** In a condition over each of many: where they belong. */
  readonly outer?: Place;
}

/**
 * The first thing that an expression over `model` shows to callers who could not see it otherwise. `seenBy` names who
 * sees the result, if they are fewer than the record's readers.
 */
export function revealedBy(
  expression: Expression,
  model: Model,
  graph: Graph,
  maskProjection: Grants | undefined,
): Revealed | undefined {
  let found: Revealed | undefined;
  visit(expression, { over: model, own: true });
  return found;

  function note(what: string): void {
    found ??= { what };
  }

  function visit(node: Expression, place: Place): void {
    switch (node.op) {
      case 'field':
        judgeMember(node.field.member, place);
        return;
      case 'at':
        judgeStep(node.step, node.target, place.over);
        visit(node.of, { ...place, over: modelOf(graph, node.target), own: false });
        return;
      case 'outer':
        visit(node.of, place.outer!);
        return;
      case 'count':
      case 'exists':
      case 'sum':
      case 'min':
      case 'max':
      case 'avg':
        visitMany(node.many, place);
        if ('value' in node) visit(node.value, { ...place, over: modelOf(graph, node.many.target), own: false });
        return;
      case 'contains':
      case 'contained-by':
      case 'overlaps':
      case 'equals':
        for (const list of [node.left, node.right]) visitList(list, place);
        return;
      default:
        childrenOf(node).forEach((child) => visit(child, place));
    }
  }

  function visitMany({ of, through, via, target, where }: Many, place: Place): void {
    if (through !== undefined) visitMany(through, place);
    const start = through === undefined ? place : { ...place, over: modelOf(graph, through.target), own: false };
    if (of.op !== 'field') visit(of, start);
    const from = ownerOf(graph, of, start);
    judgeStep(via, target, from.over);
    if ('member' in via && via.member !== undefined) judgeMember(via.member, from);
    if (where !== undefined) visit(where, { over: modelOf(graph, target), own: false, outer: place });
  }

  function visitList(list: List, place: Place): void {
    if (list.kind === 'array') visit(list.of, place);
    else if (list.kind === 'many') {
      visitMany(list.many, place);
      visit(list.value, { ...place, over: modelOf(graph, list.many.target), own: false });
    } else list.values.forEach((value) => visit(value, place));
  }

  function judgeMember(member: string, { over, own }: Place): void {
    const grants = over.access.fields.get(member);
    if (grants === undefined || (own && maskProjection !== undefined && asText(grants) === asText(maskProjection)))
      return;
    note(own ? `\`${member}\`, which not every reader sees` : `${over.name}.${member}, which not every reader sees`);
  }

  function judgeStep(step: Step | Links, target: string, over: Model): void {
    const other = modelOf(graph, target);
    if (coversReaders(other, over, step, graph)) return;
    note(`a ${target}, whose readers are others than those of a ${over.name}`);
  }
}

/** Where an expression for a key ends. */
function ownerOf(graph: Graph, key: Expression, place: Place): Place {
  if (key.op === 'at') return ownerOf(graph, key.of, { ...place, over: modelOf(graph, key.target), own: false });
  return key.op === 'outer' ? ownerOf(graph, key.of, place.outer!) : place;
}

/** Whether everybody who may read a record of `over` may read the record of `other` that a step leads to. */
function coversReaders(other: Model, over: Model, step: Step | Links, graph: Graph): boolean {
  // Children without grants are read by their parent's readers.
  const [part, whole] = [other, over].map(followsWhole);
  if (part === true && isReverse(step) && step.relation === other.parent?.name) return true;
  if (whole === true && step === over.parent) return true;
  const wanted = expanded(over, over.access.verbs.read, graph);
  const given = expanded(other, other.access.verbs.read, graph);
  if (given.some(({ kind }) => kind === 'anybody')) return true;
  const signedIn = wanted.every(({ kind }) => kind !== 'anybody' && kind !== 'where');
  if (signedIn && given.some(({ kind }) => kind === 'signed-in')) return true;
  return wanted.every((grant) => {
    if (grant.kind === 'nobody') return true;
    if (grant.kind === 'owner') return given.some(({ kind }) => kind === 'owner') && sameOwner(other, over, step);
    if (grant.kind === 'where' || grant.kind === 'path') return false;
    return given.some((candidate) => asText([candidate]) === asText([grant]));
  });
}

const followsWhole = ({ parent, access }: Model): boolean =>
  parent !== undefined && access.verbs.read.every(({ kind }) => kind === 'parent');

/** The grants of a child that follow its parent's. An owner's grant means the parent's owner. */
function expanded(model: Model, grants: Grants, graph: Graph): Grants {
  return grants.flatMap((grant) => {
    if (grant.kind !== 'parent' || model.parent === undefined) return [grant];
    const whole = modelOf(graph, model.parent.target);
    return expanded(whole, whole.access.verbs[grant.verb], graph);
  });
}

/** Whether a record and the record that a step leads to have the same owner, because one inherits it. */
function sameOwner(other: Model, over: Model, step: Step | Links): boolean {
  const [mine, theirs] = [pathText(over), pathText(other)];
  if (mine === undefined || theirs === undefined) return false;
  if ('table' in step) return false;
  if (!isReverse(step)) return mine.join('.') === [step.name, ...theirs].join('.');
  return theirs.join('.') === [step.relation, ...mine].join('.');
}

const pathText = (model: Model): string[] | undefined => model.owner?.map(({ name }) => name);

/** Writes a field as its member alone: fields refer to each other in circles. */
const byMember = (key: string, value: unknown): unknown =>
  key === 'field' ? (value as { member: string }).member : value;

/** A grant as text; equal texts are equal grants. */
const asText = (grants: Grants): string =>
  grants
    .map((grant) => {
      switch (grant.kind) {
        case 'role':
          return `role:${grant.role}`;
        case 'path':
          return grant.path.map(({ name }) => name).join('.');
        case 'where':
          return `where ${JSON.stringify(grant.where, byMember)}`;
        default:
          return grant.kind;
      }
    })
    .sort()
    .join();
