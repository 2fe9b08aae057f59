import { modelOf } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import { linkedOf } from '../../model/related.ts';
import type { Case, Expectation, Step } from '../case.ts';
import type { Maker, Making } from '../make.ts';
import { pathOf } from '../paths.ts';
import { deriveMissing, deriveStates } from './changing.ts';
import { deriveRepeated, deriveTogether, deriveWithin } from './creating.ts';
import { deriveClear } from './deleting-many.ts';
import { deriveDraw } from './drawing.ts';
import { deriveJournal } from './journal.ts';
import { deriveLinks } from './linking.ts';
import type { WritingCases } from './writing-cases.ts';

/** What holds of every write, whatever its rules: all or nothing, conditions, repetition, stock, history, links. */
export function deriveWriting(model: Model, maker: Maker): Case[] {
  const { graph } = maker;
  const cases: Case[] = [];
  const add = (endpoint: Case['endpoint'], title: string, ...steps: (Step | readonly Step[])[]): void =>
    void cases.push({ model: model.name, endpoint, title, steps: steps.flat() });
  const has = (name: Parameters<Model['endpoints']['has']>[0]): boolean => model.endpoints.has(name);
  if (!has('create') || maker.obstacle(model) !== undefined) return cases;
  const collection = pathOf(graph, model);
  const at = (kept: string): string => `${collection}/{${kept}}`;
  const ifMatch = model.conditional ? '*' : undefined;
  const make = (): Making => maker.make(model);
  const read = (kept: string, expect: Expectation, more: Partial<Step> = {}): Step => ({
    method: 'GET',
    path: at(kept),
    expect,
    ...more,
  });

  const derivation: WritingCases = { model, graph, make, add, has, collection, read, at, ifMatch, maker };
  deriveTogether(derivation);
  deriveWithin(derivation);
  if (has('read')) {
    deriveStates(derivation);
    deriveMissing(derivation);
  }
  deriveRepeated(derivation);
  for (const draw of model.draws) deriveDraw(derivation, draw);
  if (model.journal) deriveJournal(derivation);
  for (const { member, target } of linkedOf(model)) deriveLinks(derivation, member, modelOf(graph, target));
  if (has('clear')) deriveClear(derivation);
  return cases;
}
