import { describeKind, isStorable } from '../expression/kinds.ts';
import type { NameScope } from '../expression/name-scope.ts';
import { kindOf, manysOf, walk } from '../model/expression.ts';
import type { Expression } from '../model/expression.ts';
import { noRules } from '../model/field.ts';
import type { ValueSpec } from '../model/field.ts';
import type { Computed, RecordRule, Template } from '../model/model.ts';
import { isScalar } from '../model/types.ts';
import { didYouMean } from '../text/nearest.ts';
import { declaredExpression, declaredTemplate } from './expression.ts';
import type { Skeleton, Skeletons } from './model-draft.ts';

/** The computed values of all models. One may be made of others, in any order, but not of itself. */
export interface Formulas {
  of(model: string): readonly Computed[];
  find(model: string, name: string): Computed | undefined;
  names(model: string): readonly string[];
}

export function makeFormulas(skeletons: Skeletons, scopeOf: (model: Skeleton) => NameScope): Formulas {
  const known = new Map<string, Computed | undefined>();
  const open: string[] = [];

  const find: Formulas['find'] = (modelName, name) => {
    const model = skeletons.get(modelName);
    const declared = model?.draft.declaration.computed?.[name];
    if (model === undefined || declared?.value === undefined) return undefined;
    const full = `${modelName}.${name}`;
    if (known.has(full)) return known.get(full);
    const report = model.draft.report.below('computed', name);
    if (open.includes(full)) {
      const circle = [...open.slice(open.indexOf(full)), full].join(' → ');
      report.error('circle-of-values', `a circle: ${circle}`, 'work one of them out from stored fields', ['value']);
      return undefined;
    }
    open.push(full);
    const expression = declaredExpression(declared.value, 'value', scopeOf(model), report, ['value']);
    open.pop();
    const spec: ValueSpec = {
      type: declared.type ?? 'string',
      scale: declared.type === 'decimal' ? (declared.scale ?? 2) : 0,
      description: declared.description,
      deprecated: declared.deprecated,
      examples: [],
      rules: { ...noRules, readOnly: true },
    };
    let computed: Computed | undefined;
    if (declared.type !== undefined && !isScalar(declared.type)) {
      report.error(
        'wrong-type',
        `a computed value can not be of type ${declared.type}`,
        'take the type of a single value',
        ['type'],
      );
    } else if (expression !== undefined && declared.type !== undefined) {
      const value = stored(expression, spec);
      if (value === undefined) {
        const message = `this is ${describeKind(expression.type)}, and the type is ${declared.type}`;
        report.error('wrong-type', message, `change the type, or the value`, ['value']);
      } else computed = { ...spec, member: name, value };
    }
    known.set(full, computed);
    return computed;
  };
  const names = (model: string): string[] => Object.keys(skeletons.get(model)?.draft.declaration.computed ?? {});
  return {
    find,
    names,
    of: (model) => names(model).flatMap((name) => find(model, name) ?? []),
  };
}

/** An expression as a value of a type, rounded where it must be; undefined where it is of another kind. */
export function stored(expression: Expression, spec: ValueSpec): Expression | undefined {
  const type = kindOf(spec);
  if (!isStorable(expression.type, type)) return undefined;
  const same = expression.type.kind === type.kind && expression.type.scale === type.scale;
  return same ? expression : { op: 'convert', of: expression, type };
}

/** Whether a record's own values are enough for an expression. */
export function usesOwnValues(expression: Expression): boolean {
  let own = true;
  walk(expression, (node) => {
    if (node.op === 'at' || manysOf(node).length > 0) own = false;
  });
  return own;
}

export function rulesOf(model: Skeleton, scope: NameScope): RecordRule[] {
  const { declaration, report } = model.draft;
  return (declaration.rules ?? []).flatMap((declared, index) => {
    const at = report.below('rules', index);
    const known = [...model.byMember.keys()];
    if (declared.at !== undefined && !model.byMember.has(declared.at)) {
      const message = `${model.name} has no member \`${declared.at}\``;
      at.error('unknown-field', message, didYouMean(declared.at, known), ['at']);
    }
    if (declared.check === undefined || declared.message === undefined) return [];
    const check = declaredExpression(declared.check, 'condition', scope, at, ['check']);
    if (check === undefined) return [];
    return [{ check, message: declared.message, at: declared.at, ownValues: usesOwnValues(check) }];
  });
}

export function labelOf(model: Skeleton, scope: NameScope): Template | undefined {
  const { label } = model.draft.declaration;
  if (label === undefined) return undefined;
  const [text, path] = typeof label === 'string' ? [label, ['label']] : [label.text, ['label', 'text']];
  return text === undefined ? undefined : declaredTemplate(text, scope, model.draft.report, path);
}
