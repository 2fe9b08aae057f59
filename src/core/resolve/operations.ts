import type { OperationDeclaration, ValueDeclaration } from '../declaration/declarations.ts';
import type { Reporter } from '../declaration/reporter.ts';
import { verbs } from '../model/access.ts';
import type { Expression } from '../model/expression.ts';
import type { ValueSpec } from '../model/field.ts';
import type { Operation } from '../model/model.ts';
import { isScalar } from '../model/types.ts';
import { pluralOf } from '../text/names.ts';
import { didYouMean } from '../text/nearest.ts';
import type { Skeleton, Skeletons } from './model-draft.ts';
import { declaredValue } from './value-spec.ts';
import type { DefaultReader } from './value-spec.ts';

/** Names in `may` and segments of paths that no operation can have. */
const RESERVED = [...verbs, 'fields', 'set', 'list'];

export function operationsOf(
  model: Skeleton,
  parts: readonly Skeleton[],
  skeletons: Skeletons,
  readDefault: DefaultReader,
): Operation[] {
  const { declaration, report } = model.draft;
  const segments = parts.map((part) => part.draft.declaration.plural ?? pluralOf(part.name));
  return Object.entries(declaration.operations ?? {}).flatMap(([name, declared]) => {
    const at = report.below('operations', name);
    if (RESERVED.includes(name)) {
      const message = `\`${name}\` is a word of \`may\` and of paths already`;
      at.error('reserved-name', message, 'choose another name', [], 'key');
      return [];
    } else if (segments.includes(name)) {
      const message = `${model.name}.${name} and the records of ${name} would both answer at /${name}`;
      at.error('same-path', message, 'choose another name', [], 'key');
    }
    return declared === undefined ? [] : [operationOf(name, declared, skeletons, at, readDefault)];
  });
}

function operationOf(
  name: string,
  declared: OperationDeclaration,
  skeletons: Skeletons,
  report: Reporter,
  readDefault: DefaultReader,
): Operation {
  const reads = declared.reads ?? false;
  const { values: input, defaults } = specs(declared.input ?? {}, 'input', report, readDefault);
  for (const [member, { type }] of input) {
    if (!reads || isScalar(type)) continue;
    const message = `the input of an operation that reads comes from the query, which holds no ${type}`;
    report.error('wrong-type', message, 'leave out reads, or take a single value', ['input', member, 'type']);
  }
  const status = declared.status ?? 200;
  if (status > 299) {
    report.error('wrong-status', `${status} is no status of a success`, 'take one from 200 to 299', ['status']);
  }
  const output = outputOf(declared, skeletons, report, readDefault);
  if (status === 204 && output !== undefined) {
    report.error('wrong-status', 'an answer with the status 204 has no output', 'take 200, or leave out the output', [
      'status',
    ]);
  }
  const { description, deprecated, target = 'record' } = declared;
  return { name, target, description, deprecated, input, defaults, output, status, reads };
}

function outputOf(
  { output }: OperationDeclaration,
  skeletons: Skeletons,
  report: Reporter,
  readDefault: DefaultReader,
): Operation['output'] {
  if (output === undefined) return undefined;
  const { one, many, ...members } = output;
  const given = [one, many, Object.keys(members).length > 0 || undefined].filter((kind) => kind !== undefined);
  if (given.length > 1) {
    const message = 'an output is one record, many records, or members; not several of these';
    report.error('wrong-output', message, 'keep one of them', ['output'], 'key');
  }
  const model = one ?? many;
  if (model === undefined) {
    const { values } = specs(members as Record<string, ValueDeclaration | undefined>, 'output', report, readDefault);
    return { kind: 'fields', fields: values };
  }
  const kind = one === undefined ? 'many' : 'one';
  if (!skeletons.has(model)) {
    report.error('unknown-model', `there is no model ${model}`, didYouMean(model, skeletons.keys()), ['output', kind]);
  }
  return { kind, model };
}

function specs(
  declared: Readonly<Record<string, ValueDeclaration | undefined>>,
  key: 'input' | 'output',
  report: Reporter,
  readDefault: DefaultReader,
): { readonly values: Map<string, ValueSpec>; readonly defaults: Map<string, Expression> } {
  const values = new Map<string, ValueSpec>();
  const defaults = new Map<string, Expression>();
  for (const [name, value] of Object.entries(declared)) {
    const { spec, defaultTo } = declaredValue(name, value, report.below(key, name), readDefault);
    if (spec.type === 'secret' && key === 'output') {
      report.error('secret-shown', 'a secret is never shown', 'leave it out', [key, name, 'type']);
    }
    values.set(name, spec);
    const expression = defaultTo?.();
    if (expression !== undefined) defaults.set(name, expression);
  }
  return { values, defaults };
}
