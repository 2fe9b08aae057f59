import { conditionOf, grantsOf, operationAct } from '../../core/access/condition.ts';
import type { Act } from '../../core/access/condition.ts';
import { grantsText } from '../../core/access/grant-text.ts';
import { ANONYMOUS, viewersOf } from '../../core/access/viewer.ts';
import { endpointsOf } from '../../core/api/endpoints.ts';
import type { Endpoint } from '../../core/api/endpoints.ts';
import type { Grant } from '../../core/model/access.ts';
import type { Graph } from '../../core/model/graph.ts';
import type { Model } from '../../core/model/model.ts';
import type { Person } from './people.ts';

/** What somebody may do: with every record, with some, with none; and the grants that say so. */
export interface Cell {
  readonly may: 'all' | 'some' | 'none';
  readonly by: string;
}

export interface MatrixRow {
  readonly name: string;
  readonly method: string;
  readonly path: string;
  /** Of nobody first, and then of each person. */
  readonly cells: readonly Cell[];
}

/** Every endpoint of a model beside everybody who might ask. */
export function matrixOf(graph: Graph, model: Model, people: readonly Pick<Person, 'key' | 'roles'>[]): MatrixRow[] {
  const viewerOf = viewersOf(graph);
  const viewers = [ANONYMOUS, ...people.map(({ key, roles }) => viewerOf({ key, roles }))];
  return endpointsOf(graph, model)
    .filter(({ under }) => under === undefined)
    .map((endpoint) => {
      const { name, operation, method, path } = endpoint;
      const grants = grantsOf(model, actOf(endpoint));
      const cells = viewers.map((viewer): Cell => {
        const has = (some: readonly Grant[]): Cell['may'] => {
          const condition = conditionOf(graph, model, some, viewer);
          return typeof condition === 'boolean' ? (condition ? 'all' : 'none') : 'some';
        };
        // Those of the grants that give what all of them together give; where that is nothing, all that there are.
        const may = has(grants);
        return { may, by: grantsText(model, may === 'none' ? grants : grants.filter((one) => has([one]) === may)) };
      });
      return { name: operation?.name ?? name, method, path, cells };
    });
}

const actOf = ({ name, operation }: Endpoint): Act =>
  operation !== undefined ? operationAct(operation.name) : name === 'list' || name === 'operation' ? 'read' : name;
