import { kindOfAddress } from '../../core/model/service.ts';
import type { StoreKind } from '../../core/model/service.ts';
import { scriptText, withoutBack } from '../../core/tables/ddl.ts';
import { designTables } from '../../core/tables/design.ts';
import { diffSchemas, noDecisions } from '../../core/tables/schema-diff.ts';
import { storeAddress } from '../../project/project.ts';
import type { SoundProject } from '../../project/project.ts';
import { ddls } from '../../store/ddl.ts';

/** The statements that make the tables of a project, in an empty database of a kind. */
export function tablesSql(project: SoundProject, kind: StoreKind = kindOfAddress(storeAddress(project))): string {
  const plan = diffSchemas([], designTables(project.graph), noDecisions);
  const { name, version } = project.graph.service;
  // Nothing is taken back of what somebody else runs.
  return withoutBack(scriptText(`The tables of ${name} ${version}.`, ddls[kind].diff(plan)));
}
