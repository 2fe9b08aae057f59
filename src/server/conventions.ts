/** Methods that labels and spans name; others are clients' own words. */
export const METHODS: ReadonlySet<string> = new Set(['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS']);

/** What the OpenTelemetry semantic conventions call a value beyond those that are known. */
export const OTHER = '_OTHER';
