import { operationAct } from '../core/access/condition.ts';
import { grantsText, mayText } from '../core/access/grant-text.ts';
import type { Endpoint } from '../core/api/endpoints.ts';
import { USUAL_ITEMS } from '../core/model/field.ts';
import type { Field, ValueSpec } from '../core/model/field.ts';
import type { Graph } from '../core/model/graph.ts';
import type { Model } from '../core/model/model.ts';
import { linkedOf } from '../core/model/related.ts';
import { EXIT, Failure } from '../project/failure.ts';
import type { Command } from './command.ts';
import { counted } from './terminal/terminal.ts';
import type { Terminal } from './terminal/terminal.ts';

export const outline: Command = {
  usage: 'outline',
  about: 'Show the models and the endpoints at a glance',
  examples: [
    ['vantfell outline', 'every model with its fields and endpoints'],
    ['vantfell outline --diagram models.svg', 'a drawing of the models, their relations and owners'],
  ],
  options: (yargs) =>
    yargs
      .option('diagram', { type: 'string', requiresArg: true, describe: 'draw the models into this SVG file instead' })
      .check(({ diagram }) => {
        if (diagram === undefined || diagram.endsWith('.svg')) return true;
        throw new Failure(
          EXIT.wrongCommand,
          `--diagram writes SVG, and ${diagram} ends in something else`,
          'end it in .svg',
        );
      }),

  async run(context, { diagram }) {
    const { soundProject } = await import('./load-project.ts');
    const { endpointsOf } = await import('../core/api/endpoints.ts');
    const { table } = await import('./terminal/table.ts');
    const { graph } = await soundProject(context);
    const { terminal } = context;
    const { paint } = terminal;
    if (diagram !== undefined) {
      await draw(graph, diagram as string, terminal);
      return EXIT.done;
    }
    const models = graph.models.map((model) => ({ model, endpoints: endpointsOf(graph, model) }));

    terminal.value({
      service: { name: graph.service.name, version: graph.service.version },
      models: models.map(({ model, endpoints }) => asValue(model, endpoints)),
    });
    const total = models.reduce((sum, { endpoints }) => sum + endpoints.length, 0);
    const counts = `${counted(graph.models.length, 'model')}, ${counted(total, 'endpoint')}`;
    terminal.show(`${paint.bold(graph.service.name)} ${graph.service.version}: ${counts}\n`);
    for (const { model, endpoints } of models) {
      const about = model.description === undefined ? '' : `  ${paint.dim(model.description)}`;
      terminal.show(paint.bold(model.name) + about);
      terminal.show(
        indent(
          table([...model.fields.map((field) => fieldLine(field, model, graph, paint)), ...derivedLines(model, paint)]),
        ),
      );
      terminal.show('');
      terminal.show(await endpointTable(endpoints, paint));
      terminal.show('');
    }
    return EXIT.done;
  },
};

async function draw(graph: Graph, file: string, terminal: Terminal): Promise<void> {
  const { diagramOf } = await import('../core/document/diagram/parts.ts');
  const { layOut } = await import('../core/document/diagram/layout.ts');
  const { diagramSvg } = await import('../core/document/diagram/svg.ts');
  const { writeGiven } = await import('./files.ts');
  const drawn = diagramOf(graph);
  writeGiven(file, diagramSvg(await layOut(drawn)), 'name another file with --diagram');
  terminal.value({ file, models: drawn.boxes.length, relations: drawn.links.length });
  terminal.say(`wrote ${file}: ${counted(drawn.boxes.length, 'model')}, ${counted(drawn.links.length, 'relation')}`);
}

/** Endpoints, a line each: method, path, who may, and what it takes. */
export async function endpointTable(endpoints: readonly Endpoint[], paint: Terminal['paint']): Promise<string> {
  const { table } = await import('./terminal/table.ts');
  return indent(table(endpoints.map((endpoint) => endpointLine(endpoint, paint))));
}

const indent = (text: string): string => text.replace(/^(?=.)/gm, '  ');

/** Who sees a member, and who sets it, where that is not everybody who reads and writes the record. */
function accessNotes({ member }: { readonly member: string }, model: Model): string[] {
  const [seen, set] = [model.access.fields.get(member), model.access.set.get(member)];
  return [
    ...(seen === undefined ? [] : [`seen by ${grantsText(model, seen)}`]),
    ...(set === undefined ? [] : [`set by ${grantsText(model, set)}`]),
  ];
}

function fieldLine(field: Field, model: Model, graph: Graph, paint: Terminal['paint']): string[] {
  const type = field.refersTo === undefined ? typeText(field) : `→ ${field.refersTo}`;
  const notes = [...ruleNotes(field), ...uniqueNotes(field, model), ...accessNotes(field, model)];
  if (model.parent?.field === field) notes.unshift(`part of ${graph.byName.get(model.parent.target)?.name}`);
  return [field.member, paint.cyan(type), paint.dim(notes.join(', '))];
}

/** What a record shows that is not in its own row. */
function derivedLines(model: Model, paint: Terminal['paint']): string[][] {
  const links = linkedOf(model).map(({ member, target }) => [member, paint.cyan(`→ ${target}`), paint.dim('many')]);
  const computed = model.computed.map((one) => [
    one.member,
    paint.cyan(typeText(one)),
    paint.dim(['worked out', ...accessNotes(one, model)].join(', ')),
  ]);
  return [...links, ...computed];
}

/** `array of string`; the members of an object are in the notes. */
const typeText = ({ type, items }: ValueSpec): string => (items === undefined ? type : `${type} of ${typeText(items)}`);

function ruleNotes({ rules, origin, derivedFrom, parts, properties, drawnOn = false }: Field): string[] {
  const notes: string[] = [];
  if (properties !== undefined) notes.push(`with ${[...properties.keys()].join(', ')}`);
  if (derivedFrom !== undefined) notes.push(`made from ${derivedFrom}`);
  if (rules.writeOnly) notes.push('never shown');
  if (origin === 'key') notes.push('key');
  if (rules.required && !rules.readOnly) notes.push('required');
  else if (rules.required && rules.hasDefault) notes.push('required');
  if (rules.default !== undefined) notes.push(`default ${JSON.stringify(rules.default)}`);
  if (rules.hasDefault && rules.default === undefined) notes.push('default worked out');
  if (rules.enum !== undefined) notes.push(`one of ${rules.enum.join(', ')}`);
  notes.push(...rangeNotes(rules.minimum, rules.maximum, ''));
  notes.push(...rangeNotes(rules.minLength, rules.maxLength, ' characters'));
  // What holds for every list needs no note.
  const most = rules.maxItems === USUAL_ITEMS ? undefined : rules.maxItems;
  notes.push(...rangeNotes(rules.minItems, most, ' items'));
  if (rules.uniqueItems) notes.push('no item twice');
  if (rules.format !== undefined) notes.push(`a ${rules.format}`);
  if (rules.exclusiveMinimum !== undefined) notes.push(`more than ${rules.exclusiveMinimum}`);
  if (rules.exclusiveMaximum !== undefined) notes.push(`less than ${rules.exclusiveMaximum}`);
  if (rules.multipleOf !== undefined) notes.push(`a multiple of ${rules.multipleOf}`);
  if (rules.const !== undefined) notes.push(`always ${JSON.stringify(rules.const)}`);
  if (rules.pattern !== undefined) notes.push(`matches ${rules.pattern}`);
  if (rules.immutable && !rules.readOnly) notes.push('immutable');
  if (parts !== undefined && origin === 'key') notes.push(`made of ${parts.map(({ member }) => member).join(', ')}`);
  else if (rules.readOnly) notes.push('set by the service');
  if (drawnOn) notes.push('drawn on');
  return notes;
}

function rangeNotes(least: number | undefined, most: number | undefined, unit: string): string[] {
  if (least !== undefined && most !== undefined) return [`${least} to ${most}${unit}`];
  if (least !== undefined) return [`${least}${unit} or more`];
  return most === undefined ? [] : [`${most}${unit} or ${unit === '' ? 'less' : 'fewer'}`];
}

function uniqueNotes(field: Field, model: Model): string[] {
  return model.unique
    .filter((set) => set.at(-1) === field)
    .map((set) =>
      set.length === 1
        ? 'unique'
        : `unique with ${set
            .slice(0, -1)
            .map(({ member }) => member)
            .join(', ')}`,
    );
}

/** What an endpoint takes beside its path. */
function takes({ name, operation }: Endpoint): string {
  const inputs = [...(operation?.input.keys() ?? [])].join(' ');
  switch (name) {
    case 'list':
      return '?field=value filter sort limit after before offset total view fields include may';
    case 'read':
      return '?view fields include may';
    case 'journal':
      return '?action by filter sort limit after before offset total labels';
    case 'clear':
      return '?field=value filter';
    case 'delete':
      return '';
    case 'operation':
      return operation!.reads && inputs !== '' ? `?${inputs}` : inputs;
    default:
      return 'a JSON body';
  }
}

/** Who may ask for it. */
const may = ({ name, model, operation }: Endpoint): string =>
  mayText(model, operation !== undefined ? operationAct(operation.name) : actOf[name as keyof typeof actOf]);

const actOf = {
  list: 'read',
  read: 'read',
  create: 'create',
  replace: 'replace',
  update: 'update',
  delete: 'delete',
  clear: 'clear',
  journal: 'journal',
} as const;

const endpointLine = (endpoint: Endpoint, paint: Terminal['paint']): string[] => [
  paint.green(endpoint.method),
  endpoint.path,
  endpoint.operation?.name ?? endpoint.name,
  may(endpoint),
  paint.dim(takes(endpoint)),
];

function asValue(model: Model, endpoints: readonly Endpoint[]): unknown {
  return {
    name: model.name,
    plural: model.plural,
    table: model.table,
    description: model.description ?? null,
    fields: model.fields.map((field) => ({
      name: field.member,
      type: field.type,
      required: field.rules.required,
      refers_to: field.refersTo ?? null,
    })),
    endpoints: endpoints.map((endpoint) => ({
      name: endpoint.operation?.name ?? endpoint.name,
      method: endpoint.method,
      path: endpoint.path,
      may: may(endpoint),
    })),
  };
}
