-- 0001-first-tables, forward, for SQLite. It runs in a transaction with foreign_keys off; they are checked at its end.

-- a new table for amenity
CREATE TABLE "amenities" (
  "slug" TEXT NOT NULL PRIMARY KEY CHECK (length("slug") >= 1) CHECK (length("slug") <= 40),
  "name" TEXT NOT NULL CHECK (length("name") >= 1) CHECK (length("name") <= 40),
  "created_at" TEXT NOT NULL,
  "updated_at" TEXT NOT NULL
) STRICT;
CREATE UNIQUE INDEX "amenities_unique_name" ON "amenities" ("name");

-- a new table for member
CREATE TABLE "members" (
  "id" TEXT NOT NULL PRIMARY KEY,
  "name" TEXT NOT NULL CHECK (length("name") >= 1) CHECK (length("name") <= 80),
  "email" TEXT NOT NULL,
  "passphrase" TEXT,
  "phone" TEXT,
  "joined_on" TEXT NOT NULL,
  "newsletter" INTEGER CHECK ("newsletter" IN (0, 1)),
  "roles" TEXT,
  "created_at" TEXT NOT NULL,
  "updated_at" TEXT NOT NULL
) STRICT;
CREATE UNIQUE INDEX "members_unique_email" ON "members" ("email");
CREATE INDEX "members_by_name_id" ON "members" ("name", "id");

-- a new table for hut
CREATE TABLE "huts" (
  "id" TEXT NOT NULL PRIMARY KEY,
  "name" TEXT NOT NULL CHECK (length("name") >= 3) CHECK (length("name") <= 60),
  "slug" TEXT CHECK (length("slug") <= 60),
  "valley" TEXT NOT NULL CHECK ("valley" IN ('Askdal', 'Brattdal', 'Sulvik')),
  "kind" TEXT CHECK ("kind" IN ('staffed', 'self-service', 'shelter')),
  "beds" INTEGER NOT NULL CHECK ("beds" >= 1) CHECK ("beds" <= 120),
  "altitude_m" INTEGER NOT NULL CHECK ("altitude_m" >= 0) CHECK ("altitude_m" <= 2400),
  "latitude" REAL CHECK ("latitude" >= -90) CHECK ("latitude" <= 90),
  "opens_on" TEXT,
  "closes_on" TEXT,
  "winter_room" INTEGER CHECK ("winter_room" IN (0, 1)),
  "about" TEXT CHECK (length("about") <= 2000),
  "warden_id" TEXT REFERENCES "members" ("id") ON DELETE RESTRICT,
  "created_at" TEXT NOT NULL,
  "updated_at" TEXT NOT NULL
) STRICT;
CREATE UNIQUE INDEX "huts_unique_slug" ON "huts" ("slug");
CREATE UNIQUE INDEX "huts_unique_valley_name" ON "huts" ("valley", "name");
CREATE INDEX "huts_by_valley_altitude_m_id" ON "huts" ("valley", "altitude_m", "id");
CREATE INDEX "huts_by_warden_id_name_id" ON "huts" ("warden_id", "name", "id");
CREATE INDEX "huts_by_name_id" ON "huts" ("name", "id");

-- a new table for night
CREATE TABLE "nights" (
  "id" TEXT NOT NULL PRIMARY KEY,
  "hut_id" TEXT NOT NULL REFERENCES "huts" ("id") ON DELETE CASCADE,
  "date" TEXT NOT NULL,
  "price" INTEGER NOT NULL CHECK ("price" >= 0) CHECK ("price" <= 50000),
  "beds_left" INTEGER NOT NULL CHECK ("beds_left" >= 0),
  "created_at" TEXT NOT NULL,
  "updated_at" TEXT NOT NULL
) STRICT;
CREATE UNIQUE INDEX "nights_unique_hut_id_date" ON "nights" ("hut_id", "date");
CREATE INDEX "nights_by_date_id" ON "nights" ("date", "id");

-- a new table for stay
CREATE TABLE "stays" (
  "id" TEXT NOT NULL PRIMARY KEY,
  "party" INTEGER NOT NULL CHECK ("party" >= 1) CHECK ("party" <= 20),
  "status" TEXT NOT NULL CHECK ("status" IN ('booked', 'cancelled')),
  "cancelled_because" TEXT CHECK (length("cancelled_because") <= 200),
  "note" TEXT CHECK (length("note") <= 400),
  "guest_id" TEXT NOT NULL REFERENCES "members" ("id") ON DELETE RESTRICT,
  "night_id" TEXT NOT NULL REFERENCES "nights" ("id") ON DELETE RESTRICT,
  "created_at" TEXT NOT NULL,
  "updated_at" TEXT NOT NULL
) STRICT;
CREATE INDEX "stays_by_guest_id_created_at_id" ON "stays" ("guest_id" DESC, "created_at" DESC, "id" DESC);
CREATE INDEX "stays_by_night_id_created_at_id" ON "stays" ("night_id" DESC, "created_at" DESC, "id" DESC);
CREATE INDEX "stays_by_created_at_id" ON "stays" ("created_at" DESC, "id" DESC);

-- a new table for guest
CREATE TABLE "guests" (
  "id" TEXT NOT NULL PRIMARY KEY,
  "stay_id" TEXT NOT NULL REFERENCES "stays" ("id") ON DELETE CASCADE,
  "name" TEXT NOT NULL CHECK (length("name") >= 1) CHECK (length("name") <= 80),
  "age" INTEGER CHECK ("age" >= 0) CHECK ("age" <= 120),
  "diet" TEXT CHECK ("diet" IN ('any', 'vegetarian', 'vegan')),
  "created_at" TEXT NOT NULL,
  "updated_at" TEXT NOT NULL
) STRICT;
CREATE INDEX "guests_by_stay_id_name_id" ON "guests" ("stay_id", "name", "id");
CREATE INDEX "guests_by_name_id" ON "guests" ("name", "id");

-- a new table for message
CREATE TABLE "messages" (
  "id" TEXT NOT NULL PRIMARY KEY,
  "text" TEXT NOT NULL CHECK (length("text") >= 1) CHECK (length("text") <= 2000),
  "read_at" TEXT,
  "sender_id" TEXT NOT NULL REFERENCES "members" ("id") ON DELETE RESTRICT,
  "recipient_id" TEXT NOT NULL REFERENCES "members" ("id") ON DELETE RESTRICT,
  "created_at" TEXT NOT NULL,
  "updated_at" TEXT NOT NULL
) STRICT;
CREATE INDEX "messages_by_sender_id_created_at_id" ON "messages" ("sender_id" DESC, "created_at" DESC, "id" DESC);
CREATE INDEX "messages_by_recipient_id_created_at_id" ON "messages" ("recipient_id" DESC, "created_at" DESC, "id" DESC);
CREATE INDEX "messages_by_created_at_id" ON "messages" ("created_at" DESC, "id" DESC);

-- a new table for profile
CREATE TABLE "profiles" (
  "id" TEXT NOT NULL PRIMARY KEY,
  "about" TEXT CHECK (length("about") <= 1000),
  "website" TEXT,
  "languages" TEXT,
  "member_id" TEXT NOT NULL REFERENCES "members" ("id") ON DELETE CASCADE,
  "created_at" TEXT NOT NULL,
  "updated_at" TEXT NOT NULL
) STRICT;
CREATE UNIQUE INDEX "profiles_unique_member_id" ON "profiles" ("member_id");

-- a new table for report
CREATE TABLE "reports" (
  "id" TEXT NOT NULL PRIMARY KEY,
  "title" TEXT NOT NULL CHECK (length("title") >= 1) CHECK (length("title") <= 120),
  "severity" TEXT NOT NULL CHECK ("severity" IN ('note', 'minor', 'urgent')),
  "text" TEXT CHECK (length("text") <= 4000),
  "seen_on" TEXT NOT NULL,
  "tags" TEXT,
  "position" TEXT,
  "done" INTEGER CHECK ("done" IN (0, 1)),
  "hut_id" TEXT NOT NULL REFERENCES "huts" ("id") ON DELETE RESTRICT,
  "author_id" TEXT NOT NULL REFERENCES "members" ("id") ON DELETE RESTRICT,
  "created_at" TEXT NOT NULL,
  "updated_at" TEXT NOT NULL
) STRICT;
CREATE INDEX "reports_by_hut_id_seen_on_id" ON "reports" ("hut_id", "seen_on", "id");
CREATE INDEX "reports_by_author_id_id" ON "reports" ("author_id", "id");
CREATE INDEX "reports_by_seen_on_id" ON "reports" ("seen_on" DESC, "id" DESC);

-- a new table for supply
CREATE TABLE "supplies" (
  "id" TEXT NOT NULL PRIMARY KEY,
  "hut_id" TEXT NOT NULL REFERENCES "huts" ("id") ON DELETE CASCADE,
  "item" TEXT NOT NULL CHECK (length("item") >= 1) CHECK (length("item") <= 60),
  "quantity" INTEGER NOT NULL CHECK ("quantity" >= 0),
  "unit" TEXT NOT NULL CHECK ("unit" IN ('kg', 'l', 'piece')),
  "created_at" TEXT NOT NULL,
  "updated_at" TEXT NOT NULL
) STRICT;
CREATE UNIQUE INDEX "supplies_unique_hut_id_item" ON "supplies" ("hut_id", "item");
CREATE INDEX "supplies_by_item_id" ON "supplies" ("item", "id");

-- a new table for supply-draw
CREATE TABLE "supply_draws" (
  "id" TEXT NOT NULL PRIMARY KEY,
  "amount" INTEGER NOT NULL CHECK ("amount" <= 10000) CHECK ("amount" > 0),
  "taken_on" TEXT NOT NULL,
  "purpose" TEXT CHECK (length("purpose") <= 120),
  "supply_id" TEXT NOT NULL REFERENCES "supplies" ("id") ON DELETE RESTRICT,
  "taken_by_id" TEXT NOT NULL REFERENCES "members" ("id") ON DELETE RESTRICT,
  "created_at" TEXT NOT NULL,
  "updated_at" TEXT NOT NULL
) STRICT;
CREATE INDEX "supply_draws_by_supply_id_taken_on_id" ON "supply_draws" ("supply_id" DESC, "taken_on" DESC, "id" DESC);
CREATE INDEX "supply_draws_by_taken_by_id_id" ON "supply_draws" ("taken_by_id", "id");
CREATE INDEX "supply_draws_by_taken_on_id" ON "supply_draws" ("taken_on" DESC, "id" DESC);

-- a new table for hut.amenities
CREATE TABLE "huts_amenities" (
  "hut_id" TEXT NOT NULL REFERENCES "huts" ("id") ON DELETE CASCADE,
  "amenity_id" TEXT NOT NULL REFERENCES "amenities" ("slug") ON DELETE CASCADE
) STRICT;
CREATE UNIQUE INDEX "huts_amenities_unique_hut_id_amenity_id" ON "huts_amenities" ("hut_id", "amenity_id");
CREATE INDEX "huts_amenities_by_amenity_id" ON "huts_amenities" ("amenity_id");
