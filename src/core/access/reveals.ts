import type { Grant } from '../model/access.ts';
import { walk } from '../model/expression.ts';
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
  visit(expression, model, true);
  return found;

  function note(what: string): void {
    found ??= { what };
  }

  function visit(node: Expression, over: Model, own: boolean): void {
    switch (node.op) {
      case 'field':
        judgeMember(node.field.member, over, own);
        return;
      case 'at':
        judgeStep(node.step, node.target, over);
        visit(node.of, modelOf(graph, node.target), false);
        return;
      case 'count':
      case 'sum':
      case 'min':
      case 'max':
      case 'avg':
        visitMany(node.many, over, own);
        if ('value' in node) visit(node.value, modelOf(graph, node.many.target), false);
        return;
      case 'contains':
      case 'contained-by':
      case 'overlaps':
      case 'equals':
        for (const list of [node.left, node.right]) visitList(list, over, own);
        return;
      default:
        inside(node, (child) => visit(child, over, own));
    }
  }

  function visitMany(many: Many, over: Model, own: boolean): void {
    if (many.of.op === 'at') visit(many.of, over, own);
    judgeStep(many.via, many.target, over);
    if ('member' in many.via && many.via.member !== undefined) judgeMember(many.via.member, over, own);
  }

  function visitList(list: List, over: Model, own: boolean): void {
    if (list.kind === 'array') visit(list.of, over, own);
    else if (list.kind === 'many') {
      visitMany(list.many, over, own);
      visit(list.value, modelOf(graph, list.many.target), false);
    }
  }

  function judgeMember(member: string, over: Model, own: boolean): void {
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

/** Calls `visit` with the direct children of a node without records of its own. */
function inside(node: Expression, visit: (child: Expression) => void): void {
  const seen = new Set<Expression>();
  const direct: Expression[] = [];
  // `walk` visits all levels; a child handles its own children.
  walk(node, (child) => {
    if (child === node || seen.has(child)) return;
    direct.push(child);
    walk(child, (below) => seen.add(below));
  });
  direct.forEach(visit);
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
