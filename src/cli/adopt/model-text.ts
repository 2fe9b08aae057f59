import type { ModelDeclaration } from '../../core/declaration/declarations.ts';
import { eachOnALine, modelFileText, onALine, yamlText } from '../yaml-text.ts';

/** The text of a model's file: each field, relation and set is on a line of its own. */
export function adoptedText(model: ModelDeclaration): string {
  const text = yamlText(model, (document) => {
    eachOnALine(document, ['fields', 'relations', 'unique', 'index']);
    for (const member of ['key', 'stamps', 'endpoints']) onALine(document.get(member));
  });
  return modelFileText(text, ['fields', 'relations', 'unique', 'index', 'endpoints']);
}
