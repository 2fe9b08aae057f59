import type { Model } from '../model/model.ts';
import { journalTable } from '../tables/own-tables.ts';
import { pascalCase } from '../text/names.ts';

/** A model's name in the document. The journal's, which no project declares, is one that no model can have. */
export const typeName = (model: Model): string =>
  model.table === journalTable.name ? 'journal' : pascalCase(model.name);
