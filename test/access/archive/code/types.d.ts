// Written by `vantfell export types --code`: do it again when the models have changed.
import 'vantfell';

declare module 'vantfell' {
  interface Models {
    person: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        name: string;
        roles: ('keeper' | 'reader')[] | null;
        listed: boolean;
        nick: string | null;
        motto: string | null;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        name: string;
        word?: string | null;
        roles?: ('keeper' | 'reader')[] | null;
        listed?: boolean;
        nick?: string | null;
        motto?: string | null;
        created_at?: string;
        updated_at?: string;
      };
    };
    room: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        title: string;
        open: boolean;
        code: string | null;
        head_id: string | null;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        title: string;
        open?: boolean;
        code?: string | null;
        head_id?: string | null;
        created_at?: string;
        updated_at?: string;
      };
    };
    shelf: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        room_id: string;
        label: string;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        room_id: string;
        label: string;
        created_at?: string;
        updated_at?: string;
      };
    };
    box: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        shelf_id: string;
        mark: string;
        weight: string | null;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        shelf_id: string;
        mark: string;
        weight?: string | null;
        created_at?: string;
        updated_at?: string;
      };
    };
    note: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        body: string;
        state: 'draft' | 'published';
        hint: string | null;
        rank: number | null;
        place: { row?: number | null; side?: string | null } | null;
        author_id: string;
        editor_id: string | null;
        box_id: string | null;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
        tag_ids: string[];
      };
      values: {
        id?: string;
        body: string;
        state?: 'draft' | 'published';
        hint?: string | null;
        rank?: number | null;
        place?: { row?: number | null; side?: string | null } | null;
        author_id: string;
        editor_id?: string | null;
        box_id?: string | null;
        created_at?: string;
        updated_at?: string;
        tag_ids?: string[];
      };
    };
    tag: {
      key: string;
      record: {
        name: string;
        shy: boolean;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        name: string;
        shy?: boolean;
        created_at?: string;
        updated_at?: string;
      };
    };
    badge: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        text: string | null;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        text?: string | null;
        created_at?: string;
        updated_at?: string;
      };
    };
    card: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        text: string | null;
        person_id: string;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        text?: string | null;
        person_id: string;
        created_at?: string;
        updated_at?: string;
      };
    };
    tin: {
      key: string;
      record: {
        /** The key of the record. */
        id: string;
        room_id: string;
        text: string | null;
        sealed: boolean;
        /** When the record was made. */
        created_at: string;
        /** When the record was last changed. */
        updated_at: string;
      };
      values: {
        id?: string;
        room_id: string;
        text?: string | null;
        sealed?: boolean;
        created_at?: string;
        updated_at?: string;
      };
    };
  }

  interface Operations {
    'room.stats': {
      input: Record<string, never>;
    };
    'room.shut': {
      input: Record<string, never>;
      on: 'room';
    };
    'note.publish': {
      input: Record<string, never>;
      on: 'note';
    };
  }
}
