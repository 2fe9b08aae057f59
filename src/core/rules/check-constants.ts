import type { Problem } from '../declaration/problem.ts';
import type { Field, FieldValue, Graph } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import type { DeclaredModel } from '../model/resolve.ts';
import { testsOf } from './tests.ts';

/** Defaults and examples that break the rules of their own field. */
export function checkConstants(graph: Graph, models: readonly DeclaredModel[]): Problem[] {
  const problems: Problem[] = [];
  for (const { declaration, document } of models) {
    const model = modelOf(graph, declaration.model);
    const check = (
      field: Field,
      value: FieldValue | undefined,
      what: string,
      path: readonly (string | number)[],
    ): void => {
      const broken = brokenBy(field, value);
      if (broken === undefined) return;
      const message = `${what} of \`${field.member}\` breaks its own rule: it ${broken}`;
      const place = document.at(['fields', field.member, ...path]);
      problems.push({
        code: `${path[0]}-breaks-rule`,
        severity: 'error',
        message,
        remedy: 'change one of the two',
        place,
      });
    };
    for (const field of model.fields) {
      if (field.origin !== 'field') continue;
      check(field, field.rules.default, 'the default', ['default']);
      field.examples.forEach((value, index) => check(field, value, 'an example', ['examples', index]));
    }
  }
  return problems;
}

function brokenBy(field: Field, value: FieldValue | undefined): string | undefined {
  if (value === undefined) return undefined;
  if (value === null) return field.rules.required ? 'must not be null' : undefined;
  return testsOf(field).find(({ holds }) => !holds(value))?.says;
}
