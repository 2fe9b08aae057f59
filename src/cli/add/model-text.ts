import type { FieldLine } from '../../core/declaration/field-line.ts';
import { eachOnALine, modelFileText, yamlText } from '../yaml-text.ts';

/** A model as it is to be written. */
export interface NewModel {
  readonly name: string;
  readonly description?: string | undefined;
  readonly within?: string | undefined;
  readonly owner?: string | undefined;
  readonly lines: readonly FieldLine[];
  readonly may?: object | undefined;
}

/** The text of a model's file. Each field is on a line of its own. */
export function modelText({ name, description, within, owner, lines, may }: NewModel): string {
  const part = (of: 'field' | 'relation'): object | undefined => {
    const found = lines.filter((line) => line[of] !== undefined);
    return found.length === 0 ? undefined : Object.fromEntries(found.map((line) => [line.name, line[of]]));
  };
  const entries = { description, within, owner, fields: part('field'), relations: part('relation'), may };
  const given = Object.fromEntries(Object.entries(entries).filter(([, value]) => value !== undefined));
  const text = yamlText({ model: name, ...given }, (document) => eachOnALine(document, ['fields', 'relations', 'may']));
  return modelFileText(text, ['fields', 'relations', 'may']);
}
