import { memoizeByPermissions } from '../access/permissions.ts';
import type { Permissions } from '../access/permissions.ts';
import type { Field } from '../model/field.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import type { StoreValue } from '../sql/statement.ts';
import type { Writing } from './contract.ts';
import { drawsOf } from './draws.ts';
import type { Draws } from './draws.ts';
import { makeHookRunner } from './hook-runner.ts';
import type { HookRunner } from './hook-runner.ts';
import { linkWriter } from './links.ts';
import type { LinkWriter } from './links.ts';
import { changeStatements, lookUps } from './statements.ts';
import type { ChangeStatements, LookUps } from './statements.ts';
import { writePermissionsOf } from './write-permissions.ts';
import type { WritePermissions } from './write-permissions.ts';

/** What every write of one model's records works with. It is made once, when the service starts. */
export interface ModelWriting {
  readonly model: Model;
  readonly writing: Writing;
  readonly statements: ChangeStatements;
  readonly links: LinkWriter;
  readonly draws: Draws;
  readonly hookRunner: HookRunner;
  /** The permissions of the service itself. */
  readonly service: Permissions;
  /** A field's value as a parameter; null where it is absent. */
  bind(field: Field, value: FieldValue | undefined): StoreValue;
  lookUpsFor(permissions: Permissions): LookUps;
  writePermissionsFor(permissions: Permissions): WritePermissions;
}

export function makeModelWriting(model: Model, writing: Writing): ModelWriting {
  const { graph, dialect } = writing;
  return {
    model,
    writing,
    statements: changeStatements(graph, model, dialect),
    links: linkWriter(graph, model, dialect),
    draws: drawsOf(graph, model, dialect),
    hookRunner: makeHookRunner(model, writing.code, writing.scopeOf),
    service: writing.permissionSets.service,
    bind: (field, value) => dialect.bind(field, value ?? null),
    lookUpsFor: memoizeByPermissions((permissions) => lookUps(model, permissions, dialect)),
    writePermissionsFor: memoizeByPermissions((permissions) => writePermissionsOf(model, permissions, dialect)),
  };
}
