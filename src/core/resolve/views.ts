import type { ProblemCode } from '../declaration/problem-codes.ts';
import type { Reporter } from '../declaration/reporter.ts';
import type { ValueSpec } from '../model/field.ts';
import type { ViewMember } from '../model/model.ts';
import { stepCalled, viaCalled } from '../model/related.ts';
import { isReverse } from '../model/relation.ts';
import { didYouMean } from '../text/nearest.ts';
import type { Skeleton, Skeletons } from './model-draft.ts';

/** What is known of a model's members where views are read. */
interface Viewed {
  readonly skeletons: Skeletons;
  computedNames(model: string): readonly string[];
}

/** The views of a model by their names, `default` among them, and the one that its lists use. */
export function viewsOf(
  model: Skeleton,
  viewed: Viewed,
): { views: ReadonlyMap<string, readonly ViewMember[]>; listView: string } {
  const { declaration, report } = model.draft;
  const views = new Map<string, readonly ViewMember[]>([['default', wholeView(model, viewed)]]);
  const declared = declaration.views ?? {};
  for (const [name, members] of Object.entries(declared)) {
    if (members === undefined) continue;
    if (typeof members !== 'string') views.set(name, readView(model, name, members, viewed, report));
    else if (name !== 'list') {
      const message = `the view \`${name}\` is no list of members`;
      report.error('wrong-kind', message, 'write its members, as [id, name]; only `list` names another view', [
        'views',
        name,
      ]);
    }
  }
  const { list } = declared;
  if (typeof list !== 'string') return { views, listView: views.has('list') ? 'list' : 'default' };
  if (views.has(list)) return { views, listView: list };
  report.error('unknown-view', `there is no view \`${list}\``, didYouMean(list, views.keys()), ['views', 'list']);
  return { views, listView: 'default' };
}

function wholeView(model: Skeleton, { computedNames }: Viewed): ViewMember[] {
  const stamps = model.shown.filter((field) => field.origin === 'stamp');
  const stored = model.shown.filter((field) => field.origin !== 'stamp');
  return [
    ...stored.map(({ member }) => ({ name: member })),
    ...model.links.flatMap(({ member }) => (member === undefined ? [] : [{ name: member }])),
    ...computedNames(model.name).map((name) => ({ name })),
    ...stamps.map(({ member }) => ({ name: member })),
  ];
}

function readView(
  model: Skeleton,
  view: string,
  paths: readonly string[],
  viewed: Viewed,
  report: Reporter,
): ViewMember[] {
  const seen = new Set<string>();
  const root: Branch = new Map();
  paths.forEach((path, index) => {
    const tell = (code: ProblemCode, message: string, remedy: string): void =>
      report.error(code, message, remedy, ['views', view, index]);
    if (seen.has(path)) tell('duplicate-value', `this view has \`${path}\` twice`, 'keep one');
    seen.add(path);
    const steps = path.split('.');
    if (!checkPath(model, steps, viewed, tell)) return;
    let at = root;
    for (const step of steps) {
      if (!at.has(step)) at.set(step, new Map());
      at = at.get(step)!;
    }
  });
  return asMembers(root);
}

type Branch = Map<string, Branch>;

const asMembers = (branch: Branch): ViewMember[] =>
  [...branch].map(([name, inside]) => (inside.size === 0 ? { name } : { name, inside: asMembers(inside) }));

type Tell = (code: ProblemCode, message: string, remedy: string) => void;

/** The longest chain of relations: databases limit the depth of statements. */
const MOST_STEPS = 4;

function checkPath(model: Skeleton, path: readonly string[], viewed: Viewed, tell: Tell, gone = 0): boolean {
  const [name = '', ...rest] = path;
  const field = model.byMember.get(name);
  if (field?.rules.writeOnly === true) {
    tell('secret-shown', `\`${name}\` is never shown`, 'leave it out of the view');
    return false;
  }
  if (field !== undefined) return checkInside(field, name, rest, tell);
  const single = [...viewed.computedNames(model.name), ...model.links.flatMap(({ member }) => member ?? [])];
  if (single.includes(name)) return checkInside(undefined, name, rest, tell);
  const one = stepCalled(model, name);
  if (one !== undefined) {
    const { step, target } = one;
    const next = viewed.skeletons.get(target);
    if (gone === MOST_STEPS) {
      tell(
        'view-too-deep',
        `this path goes along more than ${MOST_STEPS} relations`,
        'show less of what is far away, or make it a computed value',
      );
      return false;
    }
    if (rest.length > 0) return next !== undefined && checkPath(next, rest, viewed, tell, gone + 1);
    const remedy =
      'name what to show of it, as ' +
      `${name}.${next?.key.member}${isReverse(step) ? '' : `; or its key, ${step.field.member}`}`;
    tell('record-in-view', `\`${name}\` is a whole record`, remedy);
    return false;
  }
  if (viaCalled(model, name) !== undefined) {
    tell('record-in-view', `\`${name}\` is many records`, `leave it out; a client asks for them with ?include=${name}`);
    return false;
  }
  if (model.isBroken(name)) return false;
  const known = [...model.shownByMember.keys(), ...single, ...model.relations.map((known) => known.name)];
  tell('unknown-field', `${model.name} has no member \`${name}\``, didYouMean(name, known));
  return false;
}

function checkInside(spec: ValueSpec | undefined, name: string, rest: readonly string[], tell: Tell): boolean {
  const [next, ...further] = rest;
  if (next === undefined) return true;
  const inside = spec?.properties?.get(next);
  if (inside !== undefined) return checkInside(inside, next, further, tell);
  const known = spec?.properties?.keys() ?? [];
  tell('unknown-field', `\`${name}\` has nothing inside it called \`${next}\``, didYouMean(next, known));
  return false;
}
