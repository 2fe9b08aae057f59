/** The entry of a table by a name that may come from outside: never what every object inherits, as `constructor`. */
export const own = <Entry>(table: Readonly<Record<string, Entry>>, name: string): Entry | undefined =>
  Object.hasOwn(table, name) ? table[name] : undefined;
