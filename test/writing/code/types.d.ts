// Written by `vantfell export types --code`: do it again when the models have changed.
import 'vantfell';

declare module 'vantfell' {
  interface Models {
    /** A place that lends sleds. */
    depot: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        name: string;
        slug: string | null;
        sleds: number;
        wax_kg: string | null;
        code: string | null;
        opened_on: string | null;
        spot: { x?: number | null; y?: number | null } | null;
        note: string | null;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
        mark_ids: string[];
      };
      values: {
        id?: string;
        name: string;
        slug?: string | null;
        sleds: number;
        wax_kg?: string | null;
        code?: string | null;
        pass?: string | null;
        opened_on?: string | null;
        spot?: { x?: number | null; y?: number | null } | null;
        note?: string | null;
        created_at?: string;
        updated_at?: string;
        mark_ids?: string[];
      };
    };
    mark: {
      key: string;
      record: {
        name: string;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        name: string;
        created_at?: string;
        updated_at?: string;
      };
    };
    echo: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        of: string;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        of: string;
        created_at?: string;
        updated_at?: string;
      };
    };
    loan: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        amount: number;
        wax: string | null;
        back: boolean;
        note: string | null;
        depot_id: string | null;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        amount: number;
        wax?: string | null;
        back?: boolean;
        note?: string | null;
        depot_id?: string | null;
        created_at?: string;
        updated_at?: string;
      };
    };
    shelf: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        depot_id: string;
        label: string;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        depot_id: string;
        label: string;
        created_at?: string;
        updated_at?: string;
      };
    };
  }

  interface Operations {
    'depot.swap': {
      input: {
        first: string;
        second: string;
      };
    };
    'depot.wait': {
      input: {
        ms: number;
      };
      on: 'depot';
    };
    'depot.wrong': {
      input: Record<string, never>;
      on: 'depot';
    };
    'depot.stock': {
      input: {
        more: number | null;
      };
      on: 'depot';
    };
    'depot.escape': {
      input: Record<string, never>;
    };
  }
}
