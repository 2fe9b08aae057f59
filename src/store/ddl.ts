import type { StoreKind } from '../core/model/service.ts';
import type { Ddl } from '../core/tables/ddl.ts';
import { mariadbDdl } from './mariadb/ddl.ts';
import { postgresDdl } from './postgres/ddl.ts';
import { sqliteDdl } from './sqlite/ddl.ts';

/** How each kind of database spells what is done to tables; no driver is needed for that. */
export const ddls: Readonly<Record<StoreKind, Ddl>> = {
  sqlite: sqliteDdl,
  postgres: postgresDdl,
  mariadb: mariadbDdl,
};
