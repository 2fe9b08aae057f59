/** A text as it stands in a path or a query: a comma means nothing there (RFC 3986), and stays one to read. */
export const encoded = (text: string): string =>
  PLAIN.test(text) ? text : encodeURIComponent(text).replaceAll('%2C', ',');

/** What stands for itself, as most keys do. */
const PLAIN = /^[\w.,~-]*$/;
