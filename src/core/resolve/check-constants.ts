import type { ProblemCode } from '../declaration/problem-codes.ts';
import type { Problem } from '../declaration/problem.ts';
import { reporterOf } from '../declaration/reporter.ts';
import type { Reporter } from '../declaration/reporter.ts';
import type { ValueSpec } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { FieldValue } from '../model/scalar.ts';
import { valueReader } from '../rules/schema.ts';
import type { DeclaredModel } from './model-draft.ts';

/** Defaults, examples and values of an enum that break the rules of their own field, at whatever depth. */
export function checkConstants(graph: Graph, models: readonly DeclaredModel[]): Problem[] {
  const problems: Problem[] = [];
  for (const { declaration, document } of models) {
    const model = modelOf(graph, declaration.model);
    const report = reporterOf(document, problems);
    for (const field of model.fields) {
      if (declaration.fields?.[field.member] === undefined) continue;
      checkSpec(field.member, field, report.below('fields', field.member));
    }
    for (const operation of model.operations) {
      for (const [name, spec] of operation.input) {
        checkSpec(name, spec, report.below('operations', operation.name, 'input', name));
      }
    }
    for (const [name, value] of Object.entries(model.trial.example)) {
      const field = model.byMember.get(name);
      if (field !== undefined)
        judge('this value', name, field, value, report, ['trial', 'example', name], 'example-breaks-rule');
    }
  }
  return problems;
}

function checkSpec(called: string, spec: ValueSpec, report: Reporter): void {
  const { rules } = spec;
  if (rules.default !== undefined)
    judge('the default', called, spec, rules.default, report, ['default'], 'default-breaks-rule');
  if (rules.const !== undefined) judge('the const', called, spec, rules.const, report, ['const'], 'const-breaks-rule');
  spec.examples.forEach((value, index) =>
    judge('an example', called, spec, value, report, ['examples', index], 'example-breaks-rule'),
  );
  const bare = { ...spec, rules: { ...rules, enum: undefined } };
  rules.enum?.forEach((value, index) =>
    judge('a value of the enum', called, bare, value, report, ['enum', index], 'enum-breaks-rule'),
  );
  if (spec.items !== undefined) checkSpec(`${called}'s items`, spec.items, report.below('items'));
  for (const [name, property] of spec.properties ?? []) {
    checkSpec(`${called}.${name}`, property, report.below('properties', name));
  }
}

function judge(
  what: string,
  called: string,
  spec: ValueSpec,
  value: FieldValue,
  report: Reporter,
  path: readonly (string | number)[],
  code: ProblemCode,
): void {
  const [broken] = valueReader(spec, '')(value).failures;
  if (broken === undefined) return;
  const where = broken.pointer === '' ? '' : ` at ${broken.pointer}`;
  // The developer's own message may say less than the rule.
  const { rules } = spec;
  const [plain = broken] = valueReader({ ...spec, rules: { ...rules, message: undefined } }, '')(value).failures;
  const message = `${what} of \`${called}\` breaks its own rule${where}: it ${plain.detail}`;
  report.error(code, message, 'change one of the two', path);
}
