-- 0001-first-tables, forward, for MariaDB. Each statement on tables is kept by itself: `back` says what takes one back again.

-- a new table for amenity
-- back: DROP TABLE "amenities"
CREATE TABLE "amenities" (
  "slug" varchar(40) NOT NULL PRIMARY KEY,
  "name" varchar(40) NOT NULL,
  "created_at" datetime(3) NOT NULL,
  "updated_at" datetime(3) NOT NULL,
  UNIQUE KEY "amenities_unique_name" ("name"),
  CONSTRAINT "amenities_slug_min_length" CHECK (char_length("slug") >= 1),
  CONSTRAINT "amenities_slug_max_length" CHECK (char_length("slug") <= 40),
  CONSTRAINT "amenities_name_min_length" CHECK (char_length("name") >= 1),
  CONSTRAINT "amenities_name_max_length" CHECK (char_length("name") <= 40)
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_nopad_bin;

-- a new table for member
-- back: DROP TABLE "members"
CREATE TABLE "members" (
  "id" char(36) NOT NULL PRIMARY KEY,
  "name" varchar(80) NOT NULL,
  "email" varchar(700) NOT NULL,
  "passphrase" longtext,
  "phone" longtext,
  "joined_on" date NOT NULL,
  "newsletter" boolean,
  "roles" longtext,
  "created_at" datetime(3) NOT NULL,
  "updated_at" datetime(3) NOT NULL,
  UNIQUE KEY "members_unique_email" ("email"),
  KEY "members_by_name_id" ("name", "id"),
  CONSTRAINT "members_name_min_length" CHECK (char_length("name") >= 1),
  CONSTRAINT "members_name_max_length" CHECK (char_length("name") <= 80)
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_nopad_bin;

-- a new table for hut
-- back: DROP TABLE "huts"
CREATE TABLE "huts" (
  "id" char(36) NOT NULL PRIMARY KEY,
  "name" varchar(60) NOT NULL,
  "slug" varchar(60),
  "valley" varchar(8) NOT NULL,
  "kind" varchar(12),
  "beds" bigint NOT NULL,
  "altitude_m" bigint NOT NULL,
  "latitude" double,
  "opens_on" date,
  "closes_on" date,
  "winter_room" boolean,
  "about" longtext,
  "warden_id" char(36),
  "created_at" datetime(3) NOT NULL,
  "updated_at" datetime(3) NOT NULL,
  UNIQUE KEY "huts_unique_slug" ("slug"),
  UNIQUE KEY "huts_unique_valley_name" ("valley", "name"),
  KEY "huts_by_valley_altitude_m_id" ("valley", "altitude_m", "id"),
  KEY "huts_by_warden_id_name_id" ("warden_id", "name", "id"),
  KEY "huts_by_name_id" ("name", "id"),
  CONSTRAINT "huts_name_min_length" CHECK (char_length("name") >= 3),
  CONSTRAINT "huts_name_max_length" CHECK (char_length("name") <= 60),
  CONSTRAINT "huts_slug_max_length" CHECK (char_length("slug") <= 60),
  CONSTRAINT "huts_valley_enum" CHECK ("valley" IN ('Askdal', 'Brattdal', 'Sulvik')),
  CONSTRAINT "huts_kind_enum" CHECK ("kind" IN ('staffed', 'self-service', 'shelter')),
  CONSTRAINT "huts_beds_minimum" CHECK ("beds" >= 1),
  CONSTRAINT "huts_beds_maximum" CHECK ("beds" <= 120),
  CONSTRAINT "huts_altitude_m_minimum" CHECK ("altitude_m" >= 0),
  CONSTRAINT "huts_altitude_m_maximum" CHECK ("altitude_m" <= 2400),
  CONSTRAINT "huts_latitude_minimum" CHECK ("latitude" >= -90),
  CONSTRAINT "huts_latitude_maximum" CHECK ("latitude" <= 90),
  CONSTRAINT "huts_about_max_length" CHECK (char_length("about") <= 2000)
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_nopad_bin;

-- a new table for night
-- back: DROP TABLE "nights"
CREATE TABLE "nights" (
  "id" char(36) NOT NULL PRIMARY KEY,
  "hut_id" char(36) NOT NULL,
  "date" date NOT NULL,
  "price" decimal(18,2) NOT NULL,
  "beds_left" bigint NOT NULL,
  "created_at" datetime(3) NOT NULL,
  "updated_at" datetime(3) NOT NULL,
  UNIQUE KEY "nights_unique_hut_id_date" ("hut_id", "date"),
  KEY "nights_by_date_id" ("date", "id"),
  CONSTRAINT "nights_price_minimum" CHECK ("price" >= 0),
  CONSTRAINT "nights_price_maximum" CHECK ("price" <= 500),
  CONSTRAINT "nights_beds_left_minimum" CHECK ("beds_left" >= 0)
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_nopad_bin;

-- a new table for stay
-- back: DROP TABLE "stays"
CREATE TABLE "stays" (
  "id" char(36) NOT NULL PRIMARY KEY,
  "party" bigint NOT NULL,
  "status" varchar(9) NOT NULL,
  "cancelled_because" varchar(200),
  "note" varchar(400),
  "guest_id" char(36) NOT NULL,
  "night_id" char(36) NOT NULL,
  "created_at" datetime(3) NOT NULL,
  "updated_at" datetime(3) NOT NULL,
  KEY "stays_by_guest_id_created_at_id" ("guest_id" DESC, "created_at" DESC, "id" DESC),
  KEY "stays_by_night_id_created_at_id" ("night_id" DESC, "created_at" DESC, "id" DESC),
  KEY "stays_by_created_at_id" ("created_at" DESC, "id" DESC),
  CONSTRAINT "stays_party_minimum" CHECK ("party" >= 1),
  CONSTRAINT "stays_party_maximum" CHECK ("party" <= 20),
  CONSTRAINT "stays_status_enum" CHECK ("status" IN ('booked', 'cancelled')),
  CONSTRAINT "stays_cancelled_because_max_length" CHECK (char_length("cancelled_because") <= 200),
  CONSTRAINT "stays_note_max_length" CHECK (char_length("note") <= 400)
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_nopad_bin;

-- a new table for guest
-- back: DROP TABLE "guests"
CREATE TABLE "guests" (
  "id" char(36) NOT NULL PRIMARY KEY,
  "stay_id" char(36) NOT NULL,
  "name" varchar(80) NOT NULL,
  "age" bigint,
  "diet" varchar(10),
  "created_at" datetime(3) NOT NULL,
  "updated_at" datetime(3) NOT NULL,
  KEY "guests_by_stay_id_name_id" ("stay_id", "name", "id"),
  KEY "guests_by_name_id" ("name", "id"),
  CONSTRAINT "guests_name_min_length" CHECK (char_length("name") >= 1),
  CONSTRAINT "guests_name_max_length" CHECK (char_length("name") <= 80),
  CONSTRAINT "guests_age_minimum" CHECK ("age" >= 0),
  CONSTRAINT "guests_age_maximum" CHECK ("age" <= 120),
  CONSTRAINT "guests_diet_enum" CHECK ("diet" IN ('any', 'vegetarian', 'vegan'))
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_nopad_bin;

-- a new table for message
-- back: DROP TABLE "messages"
CREATE TABLE "messages" (
  "id" char(36) NOT NULL PRIMARY KEY,
  "text" longtext NOT NULL,
  "read_at" datetime(3),
  "sender_id" char(36) NOT NULL,
  "recipient_id" char(36) NOT NULL,
  "created_at" datetime(3) NOT NULL,
  "updated_at" datetime(3) NOT NULL,
  KEY "messages_by_sender_id_created_at_id" ("sender_id" DESC, "created_at" DESC, "id" DESC),
  KEY "messages_by_recipient_id_created_at_id" ("recipient_id" DESC, "created_at" DESC, "id" DESC),
  KEY "messages_by_created_at_id" ("created_at" DESC, "id" DESC),
  CONSTRAINT "messages_text_min_length" CHECK (char_length("text") >= 1),
  CONSTRAINT "messages_text_max_length" CHECK (char_length("text") <= 2000)
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_nopad_bin;

-- a new table for profile
-- back: DROP TABLE "profiles"
CREATE TABLE "profiles" (
  "id" char(36) NOT NULL PRIMARY KEY,
  "about" longtext,
  "website" longtext,
  "languages" longtext,
  "member_id" char(36) NOT NULL,
  "created_at" datetime(3) NOT NULL,
  "updated_at" datetime(3) NOT NULL,
  UNIQUE KEY "profiles_unique_member_id" ("member_id"),
  CONSTRAINT "profiles_about_max_length" CHECK (char_length("about") <= 1000)
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_nopad_bin;

-- a new table for report
-- back: DROP TABLE "reports"
CREATE TABLE "reports" (
  "id" char(36) NOT NULL PRIMARY KEY,
  "title" varchar(120) NOT NULL,
  "severity" varchar(6) NOT NULL,
  "text" longtext,
  "seen_on" date NOT NULL,
  "tags" longtext,
  "position" longtext,
  "done" boolean,
  "hut_id" char(36) NOT NULL,
  "author_id" char(36) NOT NULL,
  "created_at" datetime(3) NOT NULL,
  "updated_at" datetime(3) NOT NULL,
  KEY "reports_by_hut_id_seen_on_id" ("hut_id", "seen_on", "id"),
  KEY "reports_by_author_id_id" ("author_id", "id"),
  KEY "reports_by_seen_on_id" ("seen_on" DESC, "id" DESC),
  CONSTRAINT "reports_title_min_length" CHECK (char_length("title") >= 1),
  CONSTRAINT "reports_title_max_length" CHECK (char_length("title") <= 120),
  CONSTRAINT "reports_severity_enum" CHECK ("severity" IN ('note', 'minor', 'urgent')),
  CONSTRAINT "reports_text_max_length" CHECK (char_length("text") <= 4000)
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_nopad_bin;

-- a new table for supply
-- back: DROP TABLE "supplies"
CREATE TABLE "supplies" (
  "id" char(36) NOT NULL PRIMARY KEY,
  "hut_id" char(36) NOT NULL,
  "item" varchar(60) NOT NULL,
  "quantity" decimal(18,1) NOT NULL,
  "unit" varchar(5) NOT NULL,
  "created_at" datetime(3) NOT NULL,
  "updated_at" datetime(3) NOT NULL,
  UNIQUE KEY "supplies_unique_hut_id_item" ("hut_id", "item"),
  KEY "supplies_by_item_id" ("item", "id"),
  CONSTRAINT "supplies_item_min_length" CHECK (char_length("item") >= 1),
  CONSTRAINT "supplies_item_max_length" CHECK (char_length("item") <= 60),
  CONSTRAINT "supplies_quantity_minimum" CHECK ("quantity" >= 0),
  CONSTRAINT "supplies_unit_enum" CHECK ("unit" IN ('kg', 'l', 'piece'))
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_nopad_bin;

-- a new table for supply-draw
-- back: DROP TABLE "supply_draws"
CREATE TABLE "supply_draws" (
  "id" char(36) NOT NULL PRIMARY KEY,
  "amount" decimal(18,1) NOT NULL,
  "taken_on" date NOT NULL,
  "purpose" varchar(120),
  "supply_id" char(36) NOT NULL,
  "taken_by_id" char(36) NOT NULL,
  "created_at" datetime(3) NOT NULL,
  "updated_at" datetime(3) NOT NULL,
  KEY "supply_draws_by_supply_id_taken_on_id" ("supply_id" DESC, "taken_on" DESC, "id" DESC),
  KEY "supply_draws_by_taken_by_id_id" ("taken_by_id", "id"),
  KEY "supply_draws_by_taken_on_id" ("taken_on" DESC, "id" DESC),
  CONSTRAINT "supply_draws_amount_maximum" CHECK ("amount" <= 1000),
  CONSTRAINT "supply_draws_amount_exclusive_minimum" CHECK ("amount" > 0),
  CONSTRAINT "supply_draws_purpose_max_length" CHECK (char_length("purpose") <= 120)
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_nopad_bin;

-- a new table for hut.amenities
-- back: DROP TABLE "huts_amenities"
CREATE TABLE "huts_amenities" (
  "hut_id" char(36) NOT NULL,
  "amenity_id" varchar(255) NOT NULL,
  UNIQUE KEY "huts_amenities_unique_hut_id_amenity_id" ("hut_id", "amenity_id"),
  KEY "huts_amenities_by_amenity_id" ("amenity_id")
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_nopad_bin;

-- references
-- back: ALTER TABLE "huts" DROP FOREIGN KEY "huts_warden_id_to_members"
ALTER TABLE "huts" ADD CONSTRAINT "huts_warden_id_to_members" FOREIGN KEY ("warden_id") REFERENCES "members" ("id");
-- back: ALTER TABLE "nights" DROP FOREIGN KEY "nights_hut_id_to_huts"
ALTER TABLE "nights" ADD CONSTRAINT "nights_hut_id_to_huts" FOREIGN KEY ("hut_id") REFERENCES "huts" ("id") ON DELETE CASCADE;
-- back: ALTER TABLE "stays" DROP FOREIGN KEY "stays_guest_id_to_members"
ALTER TABLE "stays" ADD CONSTRAINT "stays_guest_id_to_members" FOREIGN KEY ("guest_id") REFERENCES "members" ("id");
-- back: ALTER TABLE "stays" DROP FOREIGN KEY "stays_night_id_to_nights"
ALTER TABLE "stays" ADD CONSTRAINT "stays_night_id_to_nights" FOREIGN KEY ("night_id") REFERENCES "nights" ("id");
-- back: ALTER TABLE "guests" DROP FOREIGN KEY "guests_stay_id_to_stays"
ALTER TABLE "guests" ADD CONSTRAINT "guests_stay_id_to_stays" FOREIGN KEY ("stay_id") REFERENCES "stays" ("id") ON DELETE CASCADE;
-- back: ALTER TABLE "messages" DROP FOREIGN KEY "messages_sender_id_to_members"
ALTER TABLE "messages" ADD CONSTRAINT "messages_sender_id_to_members" FOREIGN KEY ("sender_id") REFERENCES "members" ("id");
-- back: ALTER TABLE "messages" DROP FOREIGN KEY "messages_recipient_id_to_members"
ALTER TABLE "messages" ADD CONSTRAINT "messages_recipient_id_to_members" FOREIGN KEY ("recipient_id") REFERENCES "members" ("id");
-- back: ALTER TABLE "profiles" DROP FOREIGN KEY "profiles_member_id_to_members"
ALTER TABLE "profiles" ADD CONSTRAINT "profiles_member_id_to_members" FOREIGN KEY ("member_id") REFERENCES "members" ("id") ON DELETE CASCADE;
-- back: ALTER TABLE "reports" DROP FOREIGN KEY "reports_hut_id_to_huts"
ALTER TABLE "reports" ADD CONSTRAINT "reports_hut_id_to_huts" FOREIGN KEY ("hut_id") REFERENCES "huts" ("id");
-- back: ALTER TABLE "reports" DROP FOREIGN KEY "reports_author_id_to_members"
ALTER TABLE "reports" ADD CONSTRAINT "reports_author_id_to_members" FOREIGN KEY ("author_id") REFERENCES "members" ("id");
-- back: ALTER TABLE "supplies" DROP FOREIGN KEY "supplies_hut_id_to_huts"
ALTER TABLE "supplies" ADD CONSTRAINT "supplies_hut_id_to_huts" FOREIGN KEY ("hut_id") REFERENCES "huts" ("id") ON DELETE CASCADE;
-- back: ALTER TABLE "supply_draws" DROP FOREIGN KEY "supply_draws_supply_id_to_supplies"
ALTER TABLE "supply_draws" ADD CONSTRAINT "supply_draws_supply_id_to_supplies" FOREIGN KEY ("supply_id") REFERENCES "supplies" ("id");
-- back: ALTER TABLE "supply_draws" DROP FOREIGN KEY "supply_draws_taken_by_id_to_members"
ALTER TABLE "supply_draws" ADD CONSTRAINT "supply_draws_taken_by_id_to_members" FOREIGN KEY ("taken_by_id") REFERENCES "members" ("id");
-- back: ALTER TABLE "huts_amenities" DROP FOREIGN KEY "huts_amenities_hut_id_to_huts"
ALTER TABLE "huts_amenities" ADD CONSTRAINT "huts_amenities_hut_id_to_huts" FOREIGN KEY ("hut_id") REFERENCES "huts" ("id") ON DELETE CASCADE;
-- back: ALTER TABLE "huts_amenities" DROP FOREIGN KEY "huts_amenities_amenity_id_to_amenities"
ALTER TABLE "huts_amenities" ADD CONSTRAINT "huts_amenities_amenity_id_to_amenities" FOREIGN KEY ("amenity_id") REFERENCES "amenities" ("slug") ON DELETE CASCADE;
