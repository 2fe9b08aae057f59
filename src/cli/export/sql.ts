import type { StoreKind } from '../../core/model/service.ts';
import { scriptText } from '../../core/tables/ddl.ts';
import { designTables } from '../../core/tables/design.ts';
import { diffSchemas, noDecisions } from '../../core/tables/schema-diff.ts';
import { kindOf, storeAddress } from '../../project/project.ts';
import type { SoundProject } from '../../project/project.ts';
import { ddls } from '../../store/ddl.ts';

/** The statements that make the tables of a project, in an empty database of a kind. */
export function tablesSql(project: SoundProject, kind: StoreKind = kindOf(storeAddress(project))): string {
  const plan = diffSchemas([], designTables(project.graph), noDecisions);
  const { name, version } = project.graph.service;
  return scriptText(`The tables of ${name} ${version}.`, ddls[kind].diff(plan));
}
