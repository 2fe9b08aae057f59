export interface TestNode {
  readonly url: string;
  kill(): Promise<void>;
  /** Starts it again, and waits until it has all that the others have. */
  join(): Promise<void>;
}

export const hasGalera: boolean;
export function startGalera(count: number): Promise<{ readonly nodes: readonly TestNode[]; stop(): Promise<void> }>;
