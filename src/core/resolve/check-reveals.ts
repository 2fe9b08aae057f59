import { revealedBy } from '../access/reveals.ts';
import type { Path } from '../declaration/declared.ts';
import type { Problem } from '../declaration/problem.ts';
import { reporterOf } from '../declaration/reporter.ts';
import { fieldExpression } from '../expression/property.ts';
import type { Grant } from '../model/access.ts';
import type { Expression } from '../model/expression.ts';
import type { Field } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import { keyFields, keySet } from '../model/joined-key.ts';
import type { Model } from '../model/model.ts';
import { keyDeclaration } from './model-draft.ts';
import type { DeclaredModel } from './model-draft.ts';

/** The value that an order goes by: of a relation, the key of its record. */
function orderedBy(graph: Graph, model: Model, field: Field): Expression {
  const value = fieldExpression(field);
  const step = model.relations.find((relation) => relation.field === field);
  if (step === undefined) return value;
  const of = fieldExpression(modelOf(graph, step.target).key);
  return { op: 'at', step, target: step.target, of, type: value.type };
}

/**
 * What is worked out from other values may only use what is as visible as itself: computed values, labels, rules across
 * fields, the default order, and what a draw says when it refuses.
 */
export function checkReveals(graph: Graph, models: readonly DeclaredModel[]): Problem[] {
  const problems: Problem[] = [];
  for (const { declaration, document } of models) {
    const model = modelOf(graph, declaration.model);
    const report = reporterOf(document, problems);
    const judge = (
      what: string,
      expression: Expression,
      path: Path,
      maskProjection?: readonly Grant[],
      entry = true,
    ): void => {
      const found = revealedBy(expression, model, graph, maskProjection);
      if (found === undefined) return;
      const remedy = entry ? 'use what every reader sees, or say so with reveals: true' : 'use what every reader sees';
      report.error('reveals', `${what} would show ${found.what}`, remedy, path);
    };
    const keyReveals = keyDeclaration(declaration.key).reveals === true;
    for (const field of keyReveals || model.key.parts === undefined ? [] : keySet(model))
      judge('this key', orderedBy(graph, model, field), ['key']);
    for (const [name, computed] of Object.entries(declaration.computed ?? {})) {
      const value = model.computed.find(({ member }) => member === name)?.value;
      if (value === undefined || computed?.reveals === true) continue;
      judge('this value', value, ['computed', name, 'value'], model.access.fields.get(name));
    }
    for (const { field, value } of model.madeDefaults) {
      const { member, rules } = field;
      if (rules.writeOnly || declaration.fields?.[member]?.reveals === true) continue;
      const [what, ...place] = field.derivedFrom === undefined ? ['default', 'default', 'expr'] : ['slug', 'from'];
      judge(`this ${what}`, value, ['fields', member, ...place], model.access.fields.get(member));
    }
    const reveals = typeof declaration.label === 'object' && declaration.label.reveals === true;
    for (const part of reveals ? [] : (model.label ?? [])) {
      const path = typeof declaration.label === 'string' ? ['label'] : ['label', 'text'];
      if (typeof part !== 'string') judge('this label', part, path);
    }
    const sound = (declaration.rules ?? []).filter(({ check }) => check !== undefined);
    if (sound.length === model.rules.length) {
      model.rules.forEach(({ check }, index) => {
        if (sound[index]?.reveals !== true)
          judge('this rule', check, ['rules', (declaration.rules ?? []).indexOf(sound[index]!), 'check']);
      });
    }
    for (const set of model.unique) {
      const hidden = set.find(({ member }) => model.access.fields.has(member));
      const declared = hidden && declaration.fields?.[hidden.member];
      if (declared === undefined || declared.reveals === true) continue;
      const message = `that a value of \`${hidden!.member}\` is taken shows to callers who can not see it`;
      report.warn(
        'unique-hidden',
        message,
        'say so with reveals: true, or let every reader see it',
        ['fields', hidden!.member],
        'key',
      );
    }
    for (const { field } of declaration.sort === undefined ? [] : model.sort) {
      if (keyFields(model).includes(field)) continue;
      judge('the order of lists', orderedBy(graph, model, field), ['sort'], undefined, false);
    }
  }
  return problems;
}
