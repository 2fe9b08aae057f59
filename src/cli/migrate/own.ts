import { makeOwnTables } from '../../core/migrations/own-tables.ts';
import { ownTables } from '../../core/tables/own-tables.ts';
import { onStanding } from '../../project/database.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import { storeAddress } from '../../project/project.ts';
import { shownStore } from '../../project/shown-path.ts';
import type { Context } from '../command.ts';
import { soundProject } from '../load-project.ts';
import { confirm } from '../terminal/ask.ts';

/** Makes the tool's own tables in a database that was there already, once that is allowed. */
export async function own(context: Context): Promise<number> {
  const { terminal } = context;
  const project = await soundProject(context);
  if (!project.graph.service.isTheirs) {
    const message = 'the tables of this project are its own, and so are those of the tool';
    throw new Failure(EXIT.wrongCommand, message, 'there is nothing to do: they are made along with the rest');
  }
  return onStanding(storeAddress(project), async (store) => {
    const standing = (await store.catalogue(false)).tables.map(({ name }) => name);
    const missing = ownTables.map(({ name }) => name).filter((name) => !standing.includes(name));
    terminal.value({ store: store.address, made: missing });
    if (missing.length === 0) {
      terminal.show('the database has the tables of the tool already');
      return EXIT.done;
    }
    const list = missing.map((name) => `\n  ${name}`).join('');
    const what = `${missing.length} tables of the tool's own, beside those that are there`;
    const question = `${shownStore(store.address)} gets ${what}:${list}\nGo on?`;
    if (!(await confirm(context, question, 'say --yes if that is meant'))) return EXIT.foundWrong;
    await store.alter((alteration) => makeOwnTables(alteration, store));
    terminal.show(`made ${missing.length} tables`);
    return EXIT.done;
  });
}
