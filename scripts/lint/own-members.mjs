// A rule of the linter: a table of constants is asked for an entry by `own(table, name)`, a Map, or behind
// Object.hasOwn. By `table[name]` it would also give what every object inherits, where the name comes from outside.
import { ESLintUtils } from '@typescript-eslint/utils';
import ts from 'typescript';

const message = 'look {{table}} up by own(…) or a Map: a name from outside may be one that objects inherit';

export const ownMembers = {
  meta: { type: 'problem', schema: [], messages: { inherited: message } },
  create(context) {
    const services = ESLintUtils.getParserServices(context);
    const checker = services.program.getTypeChecker();

    /** Whether a name stands for something that a module declares outside of all functions. */
    function isOfModule(node) {
      for (let scope = context.sourceCode.getScope(node); scope !== null; scope = scope.upper) {
        const variable = scope.set.get(node.name);
        if (variable !== undefined) return scope.type === 'module';
      }
      return false;
    }

    return {
      MemberExpression(node) {
        const { object, property, computed, parent } = node;
        if (!computed || object.type !== 'Identifier' || !isOfModule(object)) return;
        if (parent.type === 'AssignmentExpression' && parent.left === node) return;
        if ((services.getTypeAtLocation(property).flags & ts.TypeFlags.String) === 0) return;
        if (checker.getIndexInfoOfType(services.getTypeAtLocation(object), ts.IndexKind.String) === undefined) return;
        context.report({ node, messageId: 'inherited', data: { table: object.name } });
      },
    };
  },
};
