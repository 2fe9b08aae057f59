/** An identifier, as SQL has it. */
export const quoteName = (identifier: string): string => `"${identifier.replaceAll('"', '""')}"`;

/** A text of the program's own, as SQL has it. */
export const quoteText = (value: string): string => `'${value.replaceAll("'", "''")}'`;
