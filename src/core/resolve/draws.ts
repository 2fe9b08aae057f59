import { describeKind } from '../expression/kinds.ts';
import type { NameScope } from '../expression/name-scope.ts';
import type { Field } from '../model/field.ts';
import type { Draw } from '../model/model.ts';
import { underscored } from '../text/names.ts';
import { didYouMean } from '../text/nearest.ts';
import { declaredExpression, declaredTemplate } from './expression.ts';
import { stored, usesOwnValues } from './formulas.ts';
import type { DeclaredModel, DrawnOn, Skeleton, Skeletons } from './model-draft.ts';

/** The fields that any model draws on, by model and name, as far as they are known before names are resolved. */
export const drawnOnBy = (models: readonly DeclaredModel[]): DrawnOn =>
  new Set(
    models.flatMap(({ declaration }) =>
      (declaration.draws ?? []).flatMap(({ from }) => {
        const [name = '', member = ''] = from?.split('.') ?? [];
        const { within, relations } = declaration;
        const isParent = within !== undefined && underscored(within) === name;
        const target = isParent ? within : relations?.[name]?.to;
        return target === undefined ? [] : [`${target}.${member}`];
      }),
    ),
  );

/** What each record of a model takes from others, with every name resolved. */
export function drawsOf(model: Skeleton, skeletons: Skeletons, scope: NameScope): Draw[] {
  const { declaration, report } = model.draft;
  return (declaration.draws ?? []).flatMap((declared, index) => {
    const at = report.below('draws', index);
    const [name = '', member = ''] = declared.from?.split('.') ?? [];
    const refuse =
      declared.refuse === undefined
        ? undefined
        : declaredTemplate(declared.refuse, scope, at, ['refuse'], ['available']);
    const condition =
      declared.while === undefined ? undefined : declaredExpression(declared.while, 'condition', scope, at, ['while']);
    const amount =
      declared.amount === undefined
        ? undefined
        : declaredExpression(String(declared.amount), 'value', scope, at, ['amount']);
    for (const [key, expression] of [
      ['amount', amount],
      ['while', condition],
    ] as const) {
      if (expression === undefined || usesOwnValues(expression)) continue;
      const message =
        'what a record draws depends on its own values alone, because other records can change without it';
      at.error('beyond-the-record', message, 'keep the value in a field of the record', [key]);
    }
    if (declared.from === undefined) return [];

    const relation = model.relations.find((candidate) => candidate.name === name);
    if (relation === undefined) {
      if (model.isBroken(name)) return [];
      const known = model.relations.map((candidate) => candidate.name);
      at.error('unknown-relation', `${model.name} has no relation \`${name}\` to one record`, didYouMean(name, known), [
        'from',
      ]);
      return [];
    }
    const target = skeletons.get(relation.target)!;
    const field = target.draft.declared.get(member);
    if (field === undefined) {
      const known = [...target.draft.declared.values()].filter(isStock).map((candidate) => candidate.member);
      at.error('unknown-field', `${target.name} has no field \`${member}\``, didYouMean(member, known), ['from']);
      return [];
    }
    if (!isStock(field)) {
      const message =
        `${target.name}.${member} is ` +
        `${field.type === 'integer' ? 'an integer' : `a ${field.type}`}, and ` +
        'nothing can be drawn from it';
      at.error('wrong-type', message, 'draw from an integer or a decimal', ['from']);
      return [];
    }
    if (amount === undefined) return [];
    const value = stored(amount, field);
    if (value === undefined || amount.type.kind === 'number') {
      const message =
        `the amount is ${describeKind(amount.type)}, and ` + `${target.name}.${member} is of type ${field.type}`;
      at.error('wrong-type', message, 'give it an integer or a decimal', ['amount']);
      return [];
    }
    const { kind, scale } = amount.type;
    if (kind === 'decimal' && scale > field.scale) {
      const message =
        `the amount has ${scale} digits after the point, and ` +
        `${target.name}.${member} has ${field.scale}: it could not be taken ` +
        'exactly';
      at.error(
        'inexact-amount',
        message,
        `give the amount a scale of ${field.scale} at most, or the stock one of ${scale}`,
        ['amount'],
      );
      return [];
    }
    return [{ relation, from: target.name, field, amount: value, while: condition, refuse }];
  });
}

const isStock = (field: Field): boolean => field.type === 'integer' || field.type === 'decimal';
