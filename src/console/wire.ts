// What the page is told, as it comes over the wire; and how it asks.

export interface Value {
  readonly member: string;
  readonly of: 'key' | 'field' | 'relation' | 'stamp' | 'computed' | 'input';
  readonly type: string;
  readonly scale: number;
  readonly description: string | null;
  readonly required: boolean;
  readonly hasDefault: boolean;
  readonly readOnly: boolean;
  readonly immutable: boolean;
  readonly items?: string;
  readonly enum?: readonly (string | number)[];
  readonly usual?: unknown;
  readonly minLength?: number;
  readonly maxLength?: number;
  readonly minimum?: number;
  readonly maximum?: number;
  readonly pattern?: string;
  readonly refersTo?: string;
  readonly relation?: string | null;
  readonly isUnique?: boolean;
  readonly isHidden?: boolean;
  readonly seenBy?: string | null;
  readonly setBy?: string | null;
}

export interface Operation {
  readonly name: string;
  readonly target: 'record' | 'list';
  readonly description: string | null;
  readonly reads: boolean;
  readonly input: readonly Value[];
}

export interface Model {
  readonly name: string;
  readonly plural: string;
  readonly path: string;
  readonly description: string | null;
  readonly key: string;
  readonly conditional: boolean;
  readonly journal: boolean;
  readonly owner: string | null;
  readonly isIdentity: boolean;
  /** Texts, and the members between them. */
  readonly label: readonly (string | readonly string[])[];
  readonly fields: readonly Value[];
  readonly links: readonly { readonly member: string; readonly name: string; readonly target: string }[];
  readonly reverses: readonly {
    readonly name: string;
    readonly model: string;
    readonly member: string;
    readonly path: string;
    readonly one: boolean;
  }[];
  readonly verbs: readonly string[];
  readonly operations: readonly Operation[];
}

export interface Person {
  readonly who: string;
  readonly key: string;
  readonly about: string;
  readonly roles: readonly string[];
}

export interface ServiceShown {
  readonly name: string;
  readonly version: string;
  readonly store: string;
  /** Whether it runs where the project's people work: only there, trials are kept and run. */
  readonly isLocal: boolean;
  readonly most: number;
  readonly identity: { readonly model: string; readonly isOurs: boolean } | null;
  readonly models: readonly Model[];
  readonly people: readonly Person[];
}

export interface Statement {
  readonly sql: string;
  readonly isBorder: boolean;
  readonly milliseconds: number;
  readonly rows: number | null;
}

/** A request as the page sends it. */
export interface Sent {
  /** Null for nobody. */
  readonly as: string | null;
  readonly method: string;
  readonly target: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: string | null;
}

export interface Answer {
  readonly id: number;
  readonly status: number;
  readonly reason: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: string;
  readonly milliseconds: number;
  readonly statements: readonly Statement[];
}

export interface Plan {
  readonly sql: string;
  readonly verdict: string;
  readonly isServed: boolean;
  readonly plan: readonly string[];
  readonly add: readonly string[] | null;
  readonly model: string | null;
  readonly but: readonly string[];
}

export interface Cell {
  readonly may: 'all' | 'some' | 'none';
  readonly by: string;
}

export interface Matrix {
  readonly people: readonly Person[];
  readonly rows: readonly {
    readonly name: string;
    readonly method: string;
    readonly path: string;
    readonly cells: readonly Cell[];
  }[];
}

export interface Drawn {
  /** Pixels of a box: down to its lines, of each of them, and at its sides. */
  readonly head: number;
  readonly line: number;
  readonly pad: number;
  readonly width: number;
  readonly height: number;
  readonly boxes: readonly {
    readonly name: string;
    readonly x: number;
    readonly y: number;
    readonly width: number;
    readonly height: number;
    readonly signsIn: boolean;
    readonly owner?: string;
    readonly lines: readonly { readonly name: string; readonly type: string; readonly mark: string }[];
  }[];
  readonly links: readonly {
    readonly from: string;
    readonly to: string;
    readonly kind: string;
    readonly label: string;
    readonly owner: boolean;
    readonly points: readonly { readonly x: number; readonly y: number }[];
  }[];
}

/** What went wrong on the way, in words for the person who looks at the page. */
export class Trouble extends Error {}

/** Asks the service's own part of the page. Throws `Trouble` where that has no answer. */
export async function call<Result>(name: string, input: object = {}): Promise<Result> {
  let response: Response;
  try {
    response = await fetch(`/console/api/${name}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(input),
    });
  } catch {
    throw new Trouble(
      'The service does not answer. Start it again, and load this page with the address that it shows.',
    );
  }
  if (response.status === 401) {
    throw new Trouble(
      'The service was started again, or your session is over. Open the page anew, with the address that it shows.',
    );
  }
  if (response.ok) return (await response.json()) as Result;
  const { detail } = (await response.json().catch(() => ({}))) as { detail?: string };
  throw new Trouble(detail ?? `The service answers ${response.status}.`);
}
