// Written by `vantfell export types --code`: do it again when the models have changed.

declare module 'vantfell' {
  /** A single value, as in JSON. Decimals and dates are text. */
  type Scalar = string | number | boolean | null;
  /** A value as in JSON. */
  type FieldValue = Scalar | readonly FieldValue[] | {
      readonly [member: string]: FieldValue;
  };

  /** Who asks for something. */
  interface Caller {
      /** The key of their record. */
      readonly key: Scalar;
      readonly roles: readonly string[];
  }

  /** What a code that is sent does: it proves an address, or sets a new secret. */
  type CodeKind = 'verify' | 'reset';

  type Values = Record<string, FieldValue>;

  /** Which records: those with these values (an array for any of several), or a condition in CQL2. */
  type Where = Readonly<Record<string, FieldValue>> | string;
  interface FindOptions {
      /** The same as `sort` in requests: `-altitude_m,name`. */
      readonly sort?: string;
      readonly limit?: number;
      /** How many records are skipped. */
      readonly offset?: number;
  }
  /**
   * A condition in CQL2 with values in it, which stand as literals whatever they hold.
   *
   * @example
   * scope.model('night').find(cql`hut_id = ${hut} AND date >= ${from}`);
   */
  function cql(texts: TemplateStringsArray, ...values: readonly (string | number | boolean)[]): string;

  /** Where a request stands in a trace (W3C Trace Context). */
  interface Trace {
      /** That of all that is done for one thing that somebody asked for, in whichever services: 32 hexadecimal digits. */
      readonly id: string;
      /** This service's part of it: 16 hexadecimal digits. */
      readonly span: string;
      /** The headers of requests that are sent on to other services. */
      readonly headers: Readonly<{
          traceparent: string;
          tracestate?: string;
      }>;
  }

  /** Who sends a request, as a project's code sees them. */
  interface CodeCaller extends Caller {
      /** Whether a code has proved their address. */
      readonly verified: boolean;
  }

  /** Lines for the log of the service. */
  interface Log {
      info(message: string, details?: object): void;
      warn(message: string, details?: object): void;
      error(message: string, details?: object): void;
  }
  /** A refusal by the project's own code. */
  interface RefuseOptions {
      /** 400 to 499; 422 where it is left out. */
      readonly status?: number;
      /** The name of the rule that was broken. */
      readonly rule?: string;
      /** The place in the body (RFC 6901). */
      readonly pointer?: string;
  }
  /** The only way from a project's code to its data. It is bound to one transaction, and fails after its end. */
  interface Scope {
      readonly caller: CodeCaller | null;
      /** The time of this transaction's writes. */
      readonly now: Date;
      /** Aborted when the time of the transaction is up. */
      readonly signal: AbortSignal;
      readonly log: Log;
      /** Where the request stands in its trace (W3C Trace Context); null where there is none, as in scripts and trials. */
      readonly trace: Trace | null;
      model(name: string): ScopeModel;
      /** Rolls the transaction back, and answers with this problem. */
      refuse(detail: string, options?: RefuseOptions): never;
  }
  /** The records of one model. Writes apply rules, hooks, draws and the journal, and check no grants. */
  interface ScopeModel {
      /** All records, or those with these values, or for which a condition in CQL2 is true. */
      find(where?: Where, options?: FindOptions): Promise<Values[]>;
      /** The first of them. */
      first(where?: Where, options?: FindOptions): Promise<Values | undefined>;
      /** The record with a key; if there is none, the request is answered with 404. */
      get(key: Scalar): Promise<Values>;
      /** The same, and nobody else changes it until the transaction ends. */
      lock(key: Scalar): Promise<Values>;
      count(where?: Where): Promise<number>;
      create(values: Values): Promise<Values>;
      update(key: Scalar, values: Values): Promise<Values>;
      delete(key: Scalar): Promise<void>;
  }

  type Action = 'create' | 'update' | 'delete';
  /** Something that is committed. */
  interface CommitEvent {
      readonly kind: Action;
      readonly model: string;
      readonly key: Scalar;
      /** The record after the transaction; a deleted one as it was. */
      readonly record: Values;
      /** The record before a change. */
      readonly before?: Values | undefined;
  }

  /** The models of a project, as `vantfell export types` writes them down. Empty without that: then any name goes. */
  interface Models {
  }
  /** Its operations, by names like `hut.book`. */
  interface Operations {
  }
  /** The type of values without exported types. */
  type Anything = any;
  type Known<Names, Otherwise> = [keyof Names] extends [never] ? Otherwise : Extract<keyof Names, string>;
  type ModelName = Known<Models, string>;
  type OperationName = Known<Operations, string>;
  type Of<All, Name, Part extends string> = Name extends keyof All ? All[Name] extends Readonly<Record<Part, infer Found>> ? Found : Anything : Anything;
  /**
   * A record as hooks and operations have it: all that is stored of it but secrets, and the keys that it is linked with.
   */
  type RecordOf<Name> = Of<Models, Name, 'record'>;
  type ValuesOf<Name> = Of<Models, Name, 'values'>;
  type KeyOf<Name> = Of<Models, Name, 'key'> extends infer Key ? (Key extends Scalar ? Key : Scalar) : Scalar;
  /** The records of one model, for hooks and operations. */
  interface ModelScope<Name> {
      /** All records, or those with these values, or for which a condition in CQL2 is true. */
      find(where?: Where, options?: FindOptions): Promise<RecordOf<Name>[]>;
      /** The first of them. */
      first(where?: Where, options?: FindOptions): Promise<RecordOf<Name> | undefined>;
      /** The record with a key; if there is none, the request is answered with 404. */
      get(key: KeyOf<Name>): Promise<RecordOf<Name>>;
      /** The same, and nobody else changes it until the transaction ends. */
      lock(key: KeyOf<Name>): Promise<RecordOf<Name>>;
      count(where?: Where): Promise<number>;
      create(values: ValuesOf<Name>): Promise<RecordOf<Name>>;
      update(key: KeyOf<Name>, values: Partial<ValuesOf<Name>>): Promise<RecordOf<Name>>;
      delete(key: KeyOf<Name>): Promise<void>;
  }
  /** The only way from a hook or an operation to the data, bound to the running transaction. */
  interface ScopeOf extends Omit<Scope, 'model'> {
      model<Name extends ModelName>(name: Name): ModelScope<Name>;
  }
  type Draft<Name> = RecordOf<Name> extends infer Record ? {
      -readonly [Member in keyof Record]: Record[Member];
  } : never;
  type MayBe = Promise<void> | void;
  /** The hooks of a model. */
  interface HandlersOf<Name> {
      /** May change the draft, which has its defaults by now. */
      beforeCreate?(draft: Draft<Name>, scope: ScopeOf): MayBe;
      afterCreate?(record: RecordOf<Name>, scope: ScopeOf): MayBe;
      /** May change the pending change; `record` is the stored record. */
      beforeUpdate?(change: Partial<Draft<Name>>, record: RecordOf<Name>, scope: ScopeOf): MayBe;
      afterUpdate?(record: RecordOf<Name>, before: RecordOf<Name>, scope: ScopeOf): MayBe;
      beforeDelete?(record: RecordOf<Name>, scope: ScopeOf): MayBe;
      afterDelete?(record: RecordOf<Name>, scope: ScopeOf): MayBe;
      /** Outside of the transaction, once it is kept: mail, messages. A failure here is logged, and undoes nothing. */
      afterCommit?(event: Committed<Name>, scope: ScopeOf): MayBe;
  }
  /** Something that is committed. */
  type Committed<Name> = Omit<CommitEvent, 'record' | 'before'> & {
      readonly record: RecordOf<Name>;
      readonly before?: RecordOf<Name>;
  };
  /** The code of an operation: on a record, `scope.record` is that record. */
  type RunOf<Name> = (input: Of<Operations, Name, 'input'>, scope: ScopeOf & {
      readonly record: RecordOf<Of<Operations, Name, 'on'>>;
  }) => unknown;

  /** The events that a hook may handle. */
  const hookNames: readonly ["beforeCreate", "afterCreate", "beforeUpdate", "afterUpdate", "beforeDelete", "afterDelete", "afterCommit"];
  type HookName = (typeof hookNames)[number];
  type Hook = (...given: never[]) => unknown;
  interface Hooks {
      readonly kind: 'hooks';
      readonly model: string;
      readonly handlers: Readonly<Partial<Record<HookName, Hook>>>;
  }

  /** A message with a code, as whoever sends it has it. */
  interface Message {
      readonly code: string;
      /** The page that it leads to; undefined where none is declared. */
      readonly link: string | undefined;
      /** Until when the code is good. */
      readonly expires: Date;
  }
  /** Sends a message to an address. */
  type Send = (kind: CodeKind, to: string, message: Message) => unknown;

  /** What sends the messages of a service: codes for the callers that a model holds. */
  interface Messages {
      readonly kind: 'messages';
      readonly model: string;
      readonly send: Send;
  }

  type OperationCode = (input: never, scope: never) => unknown;
  interface Operation {
      readonly kind: 'operation';
      readonly model: string;
      readonly name: string;
      readonly code: OperationCode;
  }

  /** A project's API inside a program, without a socket. */
  interface OpenService {
      /** Answers a WHATWG `Request`, for any server or test to mount. */
      fetch(request: Request): Promise<Response>;
      /** Does some work in one transaction, with the service's authority. */
      transaction<Result>(work: (scope: Scope) => Promise<Result>): Promise<Result>;
      /** Waits for what is under way, and closes the store. */
      close(): Promise<void>;
  }
  /**
   * Opens the project in a folder. Rejects where its declarations have errors, or its store can't be had.
   *
   * @example
   * const service = await openService('./fell-huts');
   * const answer = await service.fetch(new Request('http://huts.example/v1/huts?limit=5'));
   * await service.close();
   */
  function openService(folder: string): Promise<OpenService>;

  /**
   * Names the hooks of a model, in `code/<model>.hooks.ts`. A name that is no hook is an error here and now.
   *
   * @example
   * export default hooks('stay', { async beforeCreate(draft, scope) { … } });
   */
  const hooks: <Name extends ModelName>(model: Name, handlers: HandlersOf<Name>) => Hooks;
  /**
   * Gives an operation its code, in `code/<model>.<operation>.ts`.
   *
   * @example
   * export default operation('hut.book', async (input, scope) => { … });
   */
  const operation: <Name extends OperationName>(name: Name, code: RunOf<Name>) => Operation;
  /**
   * Says how callers are sent their codes, in `code/<model>.messages.ts`. A failure is logged: nobody waits for it.
   *
   * @example
   * export default messages('member', { async send(kind, to, { code, link, expires }) { … } });
   */
  const messages: <Name extends ModelName>(model: Name, handlers: {
      send: Send;
  }) => Messages;

  export { cql, hooks, messages, openService, operation };
  export type { Message, ModelScope, Models, OpenService, Operations, RecordOf, ScopeOf, Send };

  interface Models {
    /** Something that a hut may have, like a stove or a drying room. */
    amenity: {
      key: string;
      record: {
        slug: string;
        name: string;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        slug: string;
        name: string;
        created_at?: string;
        updated_at?: string;
      };
    };
    /** A person of the association, who can sign in; some keep a hut as its warden. */
    member: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        name: string;
        email: string;
        phone: string | null;
        joined_on: string;
        newsletter: boolean | null;
        roles: ('walker' | 'steward')[] | null;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        name: string;
        email: string;
        passphrase?: string | null;
        phone?: string | null;
        joined_on?: string;
        newsletter?: boolean | null;
        roles?: ('walker' | 'steward')[] | null;
        created_at?: string;
        updated_at?: string;
      };
    };
    /** A mountain hut, kept by a warden. */
    hut: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        name: string;
        slug: string | null;
        valley: 'Askdal' | 'Brattdal' | 'Sulvik';
        kind: 'staffed' | 'self-service' | 'shelter' | null;
        beds: number;
        /** Metres above the sea. */
        altitude_m: number;
        latitude: number | null;
        /** The first day of the season. */
        opens_on: string | null;
        /** The last day of the season. */
        closes_on: string | null;
        winter_room: boolean | null;
        about: string | null;
        warden_id: string | null;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
        amenity_ids: string[];
      };
      values: {
        id?: string;
        name: string;
        slug?: string | null;
        valley: 'Askdal' | 'Brattdal' | 'Sulvik';
        kind?: 'staffed' | 'self-service' | 'shelter' | null;
        beds: number;
        altitude_m: number;
        latitude?: number | null;
        opens_on?: string | null;
        closes_on?: string | null;
        winter_room?: boolean | null;
        about?: string | null;
        warden_id?: string | null;
        created_at?: string;
        updated_at?: string;
        amenity_ids?: string[];
      };
    };
    /** One date at one hut, with its price and the beds that are left. */
    night: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        hut_id: string;
        date: string;
        /** For one bed. */
        price: string;
        beds_left: number;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        hut_id: string;
        date: string;
        price: string;
        beds_left: number;
        created_at?: string;
        updated_at?: string;
      };
    };
    /** A member's booking of one night, for a party. */
    stay: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        party: number;
        status: 'booked' | 'cancelled';
        cancelled_because: string | null;
        note: string | null;
        guest_id: string;
        night_id: string;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        party: number;
        status?: 'booked' | 'cancelled';
        cancelled_because?: string | null;
        note?: string | null;
        guest_id: string;
        night_id: string;
        created_at?: string;
        updated_at?: string;
      };
    };
    /** A named person in a stay's party. */
    guest: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        stay_id: string;
        name: string;
        age: number | null;
        diet: 'any' | 'vegetarian' | 'vegan' | null;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        stay_id: string;
        name: string;
        age?: number | null;
        diet?: 'any' | 'vegetarian' | 'vegan' | null;
        created_at?: string;
        updated_at?: string;
      };
    };
    /** A note from one member to another, which those two may read. */
    message: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        text: string;
        read_at: string | null;
        sender_id: string;
        recipient_id: string;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        text: string;
        read_at?: string | null;
        sender_id: string;
        recipient_id: string;
        created_at?: string;
        updated_at?: string;
      };
    };
    /** What a member tells about themselves; each has one at most. */
    profile: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        about: string | null;
        website: string | null;
        languages: string[] | null;
        member_id: string;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        about?: string | null;
        website?: string | null;
        languages?: string[] | null;
        member_id: string;
        created_at?: string;
        updated_at?: string;
      };
    };
    /** What a walker or a warden noticed at a hut. */
    report: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        title: string;
        severity: 'note' | 'minor' | 'urgent';
        text: string | null;
        seen_on: string;
        tags: string[] | null;
        position: { latitude: number; longitude: number; note?: string | null } | null;
        done: boolean | null;
        hut_id: string;
        author_id: string;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        title: string;
        severity?: 'note' | 'minor' | 'urgent';
        text?: string | null;
        seen_on: string;
        tags?: string[] | null;
        position?: { latitude: number; longitude: number; note?: string | null } | null;
        done?: boolean | null;
        hut_id: string;
        author_id: string;
        created_at?: string;
        updated_at?: string;
      };
    };
    /** Goods stored at a hut. */
    supply: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        hut_id: string;
        item: string;
        quantity: string;
        unit: 'kg' | 'l' | 'piece';
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        hut_id: string;
        item: string;
        quantity: string;
        unit?: 'kg' | 'l' | 'piece';
        created_at?: string;
        updated_at?: string;
      };
    };
    /** Someone took goods. */
    'supply-draw': {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        amount: string;
        taken_on: string;
        purpose: string | null;
        supply_id: string;
        taken_by_id: string;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        amount: string;
        taken_on?: string;
        purpose?: string | null;
        supply_id: string;
        taken_by_id: string;
        created_at?: string;
        updated_at?: string;
      };
    };
  }

  interface Operations {
    'hut.book': {
      input: {
        first_night: string;
        nights: number;
        party: number;
      };
      on: 'hut';
    };
    'hut.calendar': {
      input: {
        from: string | null;
        days: number | null;
      };
      on: 'hut';
    };
    'stay.cancel': {
      input: {
        because: string | null;
      };
      on: 'stay';
    };
  }
}
