// Written by `vantfell export types --code`: do it again when the models have changed.
import 'vantfell';

declare module 'vantfell' {
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
