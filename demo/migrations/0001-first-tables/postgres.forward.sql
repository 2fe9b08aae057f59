-- 0001-first-tables, forward, for PostgreSQL.

-- a new table for amenity
CREATE TABLE "amenities" (
  "slug" text COLLATE "C" NOT NULL PRIMARY KEY,
  CONSTRAINT "amenities_slug_min_length" CHECK (char_length("slug") >= 1),
  CONSTRAINT "amenities_slug_max_length" CHECK (char_length("slug") <= 40),
  "name" text COLLATE "C" NOT NULL,
  CONSTRAINT "amenities_name_min_length" CHECK (char_length("name") >= 1),
  CONSTRAINT "amenities_name_max_length" CHECK (char_length("name") <= 40),
  "created_at" timestamptz(3) NOT NULL,
  "updated_at" timestamptz(3) NOT NULL
);

-- a new table for member
CREATE TABLE "members" (
  "id" uuid NOT NULL PRIMARY KEY,
  "name" text COLLATE "C" NOT NULL,
  CONSTRAINT "members_name_min_length" CHECK (char_length("name") >= 1),
  CONSTRAINT "members_name_max_length" CHECK (char_length("name") <= 80),
  "email" text COLLATE "C" NOT NULL,
  "passphrase" text COLLATE "C",
  "phone" text COLLATE "C",
  "joined_on" date NOT NULL,
  "newsletter" boolean,
  "roles" json,
  "created_at" timestamptz(3) NOT NULL,
  "updated_at" timestamptz(3) NOT NULL
);

-- a new table for hut
CREATE TABLE "huts" (
  "id" uuid NOT NULL PRIMARY KEY,
  "name" text COLLATE "C" NOT NULL,
  CONSTRAINT "huts_name_min_length" CHECK (char_length("name") >= 3),
  CONSTRAINT "huts_name_max_length" CHECK (char_length("name") <= 60),
  "slug" text COLLATE "C",
  CONSTRAINT "huts_slug_max_length" CHECK (char_length("slug") <= 60),
  "valley" text COLLATE "C" NOT NULL,
  CONSTRAINT "huts_valley_enum" CHECK ("valley" IN ('Askdal', 'Brattdal', 'Sulvik')),
  "kind" text COLLATE "C",
  CONSTRAINT "huts_kind_enum" CHECK ("kind" IN ('staffed', 'self-service', 'shelter')),
  "beds" bigint NOT NULL,
  CONSTRAINT "huts_beds_minimum" CHECK ("beds" >= 1),
  CONSTRAINT "huts_beds_maximum" CHECK ("beds" <= 120),
  "altitude_m" bigint NOT NULL,
  CONSTRAINT "huts_altitude_m_minimum" CHECK ("altitude_m" >= 0),
  CONSTRAINT "huts_altitude_m_maximum" CHECK ("altitude_m" <= 2400),
  "latitude" double precision,
  CONSTRAINT "huts_latitude_minimum" CHECK ("latitude" >= -90),
  CONSTRAINT "huts_latitude_maximum" CHECK ("latitude" <= 90),
  "opens_on" date,
  "closes_on" date,
  "winter_room" boolean,
  "about" text COLLATE "C",
  CONSTRAINT "huts_about_max_length" CHECK (char_length("about") <= 2000),
  "warden_id" uuid,
  "created_at" timestamptz(3) NOT NULL,
  "updated_at" timestamptz(3) NOT NULL
);

-- a new table for night
CREATE TABLE "nights" (
  "id" uuid NOT NULL PRIMARY KEY,
  "hut_id" uuid NOT NULL,
  "date" date NOT NULL,
  "price" numeric(18, 2) NOT NULL,
  CONSTRAINT "nights_price_minimum" CHECK ("price" >= 0),
  CONSTRAINT "nights_price_maximum" CHECK ("price" <= 500),
  "beds_left" bigint NOT NULL,
  CONSTRAINT "nights_beds_left_minimum" CHECK ("beds_left" >= 0),
  "created_at" timestamptz(3) NOT NULL,
  "updated_at" timestamptz(3) NOT NULL
);

-- a new table for stay
CREATE TABLE "stays" (
  "id" uuid NOT NULL PRIMARY KEY,
  "party" bigint NOT NULL,
  CONSTRAINT "stays_party_minimum" CHECK ("party" >= 1),
  CONSTRAINT "stays_party_maximum" CHECK ("party" <= 20),
  "status" text COLLATE "C" NOT NULL,
  CONSTRAINT "stays_status_enum" CHECK ("status" IN ('booked', 'cancelled')),
  "cancelled_because" text COLLATE "C",
  CONSTRAINT "stays_cancelled_because_max_length" CHECK (char_length("cancelled_because") <= 200),
  "note" text COLLATE "C",
  CONSTRAINT "stays_note_max_length" CHECK (char_length("note") <= 400),
  "guest_id" uuid NOT NULL,
  "night_id" uuid NOT NULL,
  "created_at" timestamptz(3) NOT NULL,
  "updated_at" timestamptz(3) NOT NULL
);

-- a new table for guest
CREATE TABLE "guests" (
  "id" uuid NOT NULL PRIMARY KEY,
  "stay_id" uuid NOT NULL,
  "name" text COLLATE "C" NOT NULL,
  CONSTRAINT "guests_name_min_length" CHECK (char_length("name") >= 1),
  CONSTRAINT "guests_name_max_length" CHECK (char_length("name") <= 80),
  "age" bigint,
  CONSTRAINT "guests_age_minimum" CHECK ("age" >= 0),
  CONSTRAINT "guests_age_maximum" CHECK ("age" <= 120),
  "diet" text COLLATE "C",
  CONSTRAINT "guests_diet_enum" CHECK ("diet" IN ('any', 'vegetarian', 'vegan')),
  "created_at" timestamptz(3) NOT NULL,
  "updated_at" timestamptz(3) NOT NULL
);

-- a new table for message
CREATE TABLE "messages" (
  "id" uuid NOT NULL PRIMARY KEY,
  "text" text COLLATE "C" NOT NULL,
  CONSTRAINT "messages_text_min_length" CHECK (char_length("text") >= 1),
  CONSTRAINT "messages_text_max_length" CHECK (char_length("text") <= 2000),
  "read_at" timestamptz(3),
  "sender_id" uuid NOT NULL,
  "recipient_id" uuid NOT NULL,
  "created_at" timestamptz(3) NOT NULL,
  "updated_at" timestamptz(3) NOT NULL
);

-- a new table for profile
CREATE TABLE "profiles" (
  "id" uuid NOT NULL PRIMARY KEY,
  "about" text COLLATE "C",
  CONSTRAINT "profiles_about_max_length" CHECK (char_length("about") <= 1000),
  "website" text COLLATE "C",
  "languages" json,
  "member_id" uuid NOT NULL,
  "created_at" timestamptz(3) NOT NULL,
  "updated_at" timestamptz(3) NOT NULL
);

-- a new table for report
CREATE TABLE "reports" (
  "id" uuid NOT NULL PRIMARY KEY,
  "title" text COLLATE "C" NOT NULL,
  CONSTRAINT "reports_title_min_length" CHECK (char_length("title") >= 1),
  CONSTRAINT "reports_title_max_length" CHECK (char_length("title") <= 120),
  "severity" text COLLATE "C" NOT NULL,
  CONSTRAINT "reports_severity_enum" CHECK ("severity" IN ('note', 'minor', 'urgent')),
  "text" text COLLATE "C",
  CONSTRAINT "reports_text_max_length" CHECK (char_length("text") <= 4000),
  "seen_on" date NOT NULL,
  "tags" json,
  "position" json,
  "done" boolean,
  "hut_id" uuid NOT NULL,
  "author_id" uuid NOT NULL,
  "created_at" timestamptz(3) NOT NULL,
  "updated_at" timestamptz(3) NOT NULL
);

-- a new table for supply
CREATE TABLE "supplies" (
  "id" uuid NOT NULL PRIMARY KEY,
  "hut_id" uuid NOT NULL,
  "item" text COLLATE "C" NOT NULL,
  CONSTRAINT "supplies_item_min_length" CHECK (char_length("item") >= 1),
  CONSTRAINT "supplies_item_max_length" CHECK (char_length("item") <= 60),
  "quantity" numeric(18, 1) NOT NULL,
  CONSTRAINT "supplies_quantity_minimum" CHECK ("quantity" >= 0),
  "unit" text COLLATE "C" NOT NULL,
  CONSTRAINT "supplies_unit_enum" CHECK ("unit" IN ('kg', 'l', 'piece')),
  "created_at" timestamptz(3) NOT NULL,
  "updated_at" timestamptz(3) NOT NULL
);

-- a new table for supply-draw
CREATE TABLE "supply_draws" (
  "id" uuid NOT NULL PRIMARY KEY,
  "amount" numeric(18, 1) NOT NULL,
  CONSTRAINT "supply_draws_amount_maximum" CHECK ("amount" <= 1000),
  CONSTRAINT "supply_draws_amount_exclusive_minimum" CHECK ("amount" > 0),
  "taken_on" date NOT NULL,
  "purpose" text COLLATE "C",
  CONSTRAINT "supply_draws_purpose_max_length" CHECK (char_length("purpose") <= 120),
  "supply_id" uuid NOT NULL,
  "taken_by_id" uuid NOT NULL,
  "created_at" timestamptz(3) NOT NULL,
  "updated_at" timestamptz(3) NOT NULL
);

-- a new table for hut.amenities
CREATE TABLE "huts_amenities" (
  "hut_id" uuid NOT NULL,
  "amenity_id" text COLLATE "C" NOT NULL
);

-- indexes
CREATE UNIQUE INDEX "amenities_unique_name" ON "amenities" ("name");
CREATE UNIQUE INDEX "members_unique_email" ON "members" ("email");
CREATE INDEX "members_by_name_id" ON "members" ("name", "id");
CREATE UNIQUE INDEX "huts_unique_slug" ON "huts" ("slug");
CREATE UNIQUE INDEX "huts_unique_valley_name" ON "huts" ("valley", "name");
CREATE INDEX "huts_by_valley_altitude_m_id" ON "huts" ("valley", "altitude_m", "id");
CREATE INDEX "huts_by_warden_id_name_id" ON "huts" ("warden_id", "name", "id");
CREATE INDEX "huts_by_name_id" ON "huts" ("name", "id");
CREATE UNIQUE INDEX "nights_unique_hut_id_date" ON "nights" ("hut_id", "date");
CREATE INDEX "nights_by_date_id" ON "nights" ("date", "id");
CREATE INDEX "stays_by_guest_id_created_at_id" ON "stays" ("guest_id" DESC, "created_at" DESC, "id" DESC);
CREATE INDEX "stays_by_night_id_created_at_id" ON "stays" ("night_id" DESC, "created_at" DESC, "id" DESC);
CREATE INDEX "stays_by_created_at_id" ON "stays" ("created_at" DESC, "id" DESC);
CREATE INDEX "guests_by_stay_id_name_id" ON "guests" ("stay_id", "name", "id");
CREATE INDEX "guests_by_name_id" ON "guests" ("name", "id");
CREATE INDEX "messages_by_sender_id_created_at_id" ON "messages" ("sender_id" DESC, "created_at" DESC, "id" DESC);
CREATE INDEX "messages_by_recipient_id_created_at_id" ON "messages" ("recipient_id" DESC, "created_at" DESC, "id" DESC);
CREATE INDEX "messages_by_created_at_id" ON "messages" ("created_at" DESC, "id" DESC);
CREATE UNIQUE INDEX "profiles_unique_member_id" ON "profiles" ("member_id");
CREATE INDEX "reports_by_hut_id_seen_on_id" ON "reports" ("hut_id", "seen_on", "id");
CREATE INDEX "reports_by_author_id_id" ON "reports" ("author_id", "id");
CREATE INDEX "reports_by_seen_on_id" ON "reports" ("seen_on" DESC, "id" DESC);
CREATE UNIQUE INDEX "supplies_unique_hut_id_item" ON "supplies" ("hut_id", "item");
CREATE INDEX "supplies_by_item_id" ON "supplies" ("item", "id");
CREATE INDEX "supply_draws_by_supply_id_taken_on_id" ON "supply_draws" ("supply_id" DESC, "taken_on" DESC, "id" DESC);
CREATE INDEX "supply_draws_by_taken_by_id_id" ON "supply_draws" ("taken_by_id", "id");
CREATE INDEX "supply_draws_by_taken_on_id" ON "supply_draws" ("taken_on" DESC, "id" DESC);
CREATE UNIQUE INDEX "huts_amenities_unique_hut_id_amenity_id" ON "huts_amenities" ("hut_id", "amenity_id");
CREATE INDEX "huts_amenities_by_amenity_id" ON "huts_amenities" ("amenity_id");

-- references
ALTER TABLE "huts" ADD CONSTRAINT "huts_warden_id_to_members" FOREIGN KEY ("warden_id") REFERENCES "members" ("id") ON DELETE RESTRICT;
ALTER TABLE "nights" ADD CONSTRAINT "nights_hut_id_to_huts" FOREIGN KEY ("hut_id") REFERENCES "huts" ("id") ON DELETE CASCADE;
ALTER TABLE "stays" ADD CONSTRAINT "stays_guest_id_to_members" FOREIGN KEY ("guest_id") REFERENCES "members" ("id") ON DELETE RESTRICT;
ALTER TABLE "stays" ADD CONSTRAINT "stays_night_id_to_nights" FOREIGN KEY ("night_id") REFERENCES "nights" ("id") ON DELETE RESTRICT;
ALTER TABLE "guests" ADD CONSTRAINT "guests_stay_id_to_stays" FOREIGN KEY ("stay_id") REFERENCES "stays" ("id") ON DELETE CASCADE;
ALTER TABLE "messages" ADD CONSTRAINT "messages_sender_id_to_members" FOREIGN KEY ("sender_id") REFERENCES "members" ("id") ON DELETE RESTRICT;
ALTER TABLE "messages" ADD CONSTRAINT "messages_recipient_id_to_members" FOREIGN KEY ("recipient_id") REFERENCES "members" ("id") ON DELETE RESTRICT;
ALTER TABLE "profiles" ADD CONSTRAINT "profiles_member_id_to_members" FOREIGN KEY ("member_id") REFERENCES "members" ("id") ON DELETE CASCADE;
ALTER TABLE "reports" ADD CONSTRAINT "reports_hut_id_to_huts" FOREIGN KEY ("hut_id") REFERENCES "huts" ("id") ON DELETE RESTRICT;
ALTER TABLE "reports" ADD CONSTRAINT "reports_author_id_to_members" FOREIGN KEY ("author_id") REFERENCES "members" ("id") ON DELETE RESTRICT;
ALTER TABLE "supplies" ADD CONSTRAINT "supplies_hut_id_to_huts" FOREIGN KEY ("hut_id") REFERENCES "huts" ("id") ON DELETE CASCADE;
ALTER TABLE "supply_draws" ADD CONSTRAINT "supply_draws_supply_id_to_supplies" FOREIGN KEY ("supply_id") REFERENCES "supplies" ("id") ON DELETE RESTRICT;
ALTER TABLE "supply_draws" ADD CONSTRAINT "supply_draws_taken_by_id_to_members" FOREIGN KEY ("taken_by_id") REFERENCES "members" ("id") ON DELETE RESTRICT;
ALTER TABLE "huts_amenities" ADD CONSTRAINT "huts_amenities_hut_id_to_huts" FOREIGN KEY ("hut_id") REFERENCES "huts" ("id") ON DELETE CASCADE;
ALTER TABLE "huts_amenities" ADD CONSTRAINT "huts_amenities_amenity_id_to_amenities" FOREIGN KEY ("amenity_id") REFERENCES "amenities" ("slug") ON DELETE CASCADE;
