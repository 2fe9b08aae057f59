// The same request gives the same bytes on every database: all that trials of whole projects read, page by page.
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { readWorld } from '../../src/cli/trial/stage.ts';
import { relatedNames } from '../../src/core/model/related.ts';
import { deriveReading } from '../../src/core/trial/reading/derive.ts';
import { pathOf } from '../../src/core/trial/paths.ts';
import { NOBODY, worldOf } from '../../src/core/trial/world.ts';
import type { World } from '../../src/core/trial/world.ts';
import { everyStore } from '../kit/every-store.ts';
import type { Body, EveryStore } from '../kit/every-store.ts';
import { demoFolder } from '../kit/program.ts';

const sound = (name: string): string => fileURLToPath(new URL(`../fixtures/sound/${name}`, import.meta.url));
const PROJECTS = [
  ['demo', demoFolder()],
  ['harbour', sound('harbour')],
  ['herbarium', sound('herbarium')],
  ['workshop', sound('workshop')],
  ['cellar', sound('cellar')],
] as const;

describe.each(PROJECTS)('answers of all databases are alike: %s', (name, folder) => {
  let every: EveryStore;
  let world: World;
  let asked = 0;
  beforeAll(async () => {
    every = await everyStore(folder, `alike_${name}`);
    const { graph, services, stores } = every;
    world = worldOf(await readWorld(graph, services[0]!, stores[0]!), [NOBODY], new Date());
  });
  afterAll(() => every.close());

  const ask = async (target: string): Promise<Body['page'] | undefined> => {
    asked += 1;
    return (JSON.parse(String((await every.reply(target)).body)) as Partial<Body>).page;
  };
  /** Every page from the first on, and back. */
  async function walk(target: string): Promise<void> {
    for (const way of ['next', 'prev'] as const) {
      for (let at: string | null | undefined = target; typeof at === 'string';) at = (await ask(at))?.[way];
    }
  }
  test('lists: every filter, order, view, related record and page', async () => {
    for (const model of every.graph.models) {
      for (const { steps } of deriveReading(world, model)) {
        for (const { method, path, pages } of steps) {
          expect(method).toBe('GET');
          await (pages === true ? walk(path) : ask(path));
        }
      }
    }
    expect(asked).toBeGreaterThan(100);
  });

  test('records: each, with what may be done with it, in each view, and with each relation', async () => {
    for (const model of every.graph.models.filter(({ endpoints }) => endpoints.has('read'))) {
      for (const row of world.rowsOf(model)) {
        const path = pathOf(every.graph, model, row);
        await ask(`${path}?may=true`);
        for (const view of model.views.keys()) await ask(`${path}?view=${view}`);
        for (const relation of relatedNames(model)) await ask(`${path}?include=${relation}`);
      }
    }
  });
});
