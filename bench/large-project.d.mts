export function writeLargeProject(folder: string, count: number): void;
