import type { MayDeclaration } from '../declaration/declarations.ts';
import { usualEndpoints } from '../declaration/model-shape.ts';
import type { Reporter } from '../declaration/reporter.ts';
import { verbs } from '../model/access.ts';
import type { Access, Grant, Verb } from '../model/access.ts';
import type { Operation } from '../model/model.ts';
import type { Skeleton } from './model-draft.ts';

type Grants = readonly Grant[];
type Operations = readonly Pick<Operation, 'name' | 'target'>[];

/** Warns of grants that nothing can come of. */
export function warnOfIdle(may: MayDeclaration, model: Skeleton, access: Access, report: Reporter): void {
  const { declaration } = model.draft;
  const endpoints: ReadonlySet<string> = new Set(declaration.endpoints ?? usualEndpoints);
  // Verbs that change or delete are not among them: children may go by what their parent allows.
  const isIdle: Readonly<Partial<Record<Verb, boolean>>> = {
    create: !endpoints.has('create'),
    replace: !endpoints.has('replace'),
    clear: !endpoints.has('clear'),
    journal: declaration.journal !== true,
  };
  for (const verb of verbs) {
    if (!Object.hasOwn(may, verb)) continue;
    const remedy =
      verb === 'journal' ? 'write journal: true, or leave it out' : `name ${verb} in endpoints, or leave it out`;
    if (isIdle[verb] === true)
      report.warn('idle-grant', `${model.name} has no ${verb}, so this grant has no effect`, remedy, [verb], 'key');
    else if (isBesideAnybody(access.verbs[verb], verb))
      report.warn('idle-grant', 'anybody is enough: the other grants have no effect', 'leave out either', [verb]);
    else if (UNREAD.includes(verb) && isNobody(access.verbs.read) && !isNobody(access.verbs[verb]))
      report.warn(
        'idle-grant',
        `nobody may read a ${model.name}, so this grant has no effect`,
        READ_FIRST,
        [verb],
        'key',
      );
  }
  for (const name of Object.keys(may.set ?? {}))
    if (model.byMember.get(name)?.rules.readOnly === true)
      report.warn('idle-grant', `\`${name}\` is readOnly, so nobody sets it`, 'leave out either', ['set', name], 'key');
}

/** The same of operations on records that nobody may read: whoever may not read one may do nothing with it. */
export function warnOfUnread(may: MayDeclaration, operations: Operations, access: Access, report: Reporter): void {
  if (!isNobody(access.verbs.read)) return;
  for (const { name, target } of operations) {
    if (target !== 'record' || !Object.hasOwn(may, name) || isNobody(access.operations.get(name) ?? [])) continue;
    report.warn(
      'idle-grant',
      `nobody may read the records of ${name}, so this grant has no effect`,
      READ_FIRST,
      [name],
      'key',
    );
  }
}

/** What nobody does with a record that they may not read. */
const UNREAD: readonly Verb[] = ['replace', 'update', 'delete', 'clear', 'journal'];

const READ_FIRST = 'write who may read: whoever may not, may do nothing else';

const isNobody = (grants: Grants): boolean => grants.every(({ kind }) => kind === 'nobody');

/** Whether all but one of these grants are idle. Roles may write records of other owners, whoever may write. */
function isBesideAnybody(grants: Grants, verb: Verb): boolean {
  const kinds = grants.map(({ kind }) => kind);
  const isOwning = ['create', 'update', 'replace'].includes(verb) && kinds.includes('role');
  return kinds.length > 1 && kinds.includes('anybody') && !isOwning;
}
