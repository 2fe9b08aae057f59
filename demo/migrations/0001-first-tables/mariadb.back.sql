-- 0001-first-tables, back, for MariaDB. Each statement on tables is kept by itself: `back` says what takes one back again.

-- rules that go
-- back: ALTER TABLE "huts" ADD CONSTRAINT "huts_warden_id_to_members" FOREIGN KEY ("warden_id") REFERENCES "members" ("id")
ALTER TABLE "huts" DROP FOREIGN KEY "huts_warden_id_to_members";
-- back: ALTER TABLE "nights" ADD CONSTRAINT "nights_hut_id_to_huts" FOREIGN KEY ("hut_id") REFERENCES "huts" ("id") ON DELETE CASCADE
ALTER TABLE "nights" DROP FOREIGN KEY "nights_hut_id_to_huts";
-- back: ALTER TABLE "stays" ADD CONSTRAINT "stays_guest_id_to_members" FOREIGN KEY ("guest_id") REFERENCES "members" ("id")
ALTER TABLE "stays" DROP FOREIGN KEY "stays_guest_id_to_members";
-- back: ALTER TABLE "stays" ADD CONSTRAINT "stays_night_id_to_nights" FOREIGN KEY ("night_id") REFERENCES "nights" ("id")
ALTER TABLE "stays" DROP FOREIGN KEY "stays_night_id_to_nights";
-- back: ALTER TABLE "guests" ADD CONSTRAINT "guests_stay_id_to_stays" FOREIGN KEY ("stay_id") REFERENCES "stays" ("id") ON DELETE CASCADE
ALTER TABLE "guests" DROP FOREIGN KEY "guests_stay_id_to_stays";
-- back: ALTER TABLE "messages" ADD CONSTRAINT "messages_sender_id_to_members" FOREIGN KEY ("sender_id") REFERENCES "members" ("id")
ALTER TABLE "messages" DROP FOREIGN KEY "messages_sender_id_to_members";
-- back: ALTER TABLE "messages" ADD CONSTRAINT "messages_recipient_id_to_members" FOREIGN KEY ("recipient_id") REFERENCES "members" ("id")
ALTER TABLE "messages" DROP FOREIGN KEY "messages_recipient_id_to_members";
-- back: ALTER TABLE "profiles" ADD CONSTRAINT "profiles_member_id_to_members" FOREIGN KEY ("member_id") REFERENCES "members" ("id") ON DELETE CASCADE
ALTER TABLE "profiles" DROP FOREIGN KEY "profiles_member_id_to_members";
-- back: ALTER TABLE "reports" ADD CONSTRAINT "reports_hut_id_to_huts" FOREIGN KEY ("hut_id") REFERENCES "huts" ("id")
ALTER TABLE "reports" DROP FOREIGN KEY "reports_hut_id_to_huts";
-- back: ALTER TABLE "reports" ADD CONSTRAINT "reports_author_id_to_members" FOREIGN KEY ("author_id") REFERENCES "members" ("id")
ALTER TABLE "reports" DROP FOREIGN KEY "reports_author_id_to_members";
-- back: ALTER TABLE "supplies" ADD CONSTRAINT "supplies_hut_id_to_huts" FOREIGN KEY ("hut_id") REFERENCES "huts" ("id") ON DELETE CASCADE
ALTER TABLE "supplies" DROP FOREIGN KEY "supplies_hut_id_to_huts";
-- back: ALTER TABLE "supply_draws" ADD CONSTRAINT "supply_draws_supply_id_to_supplies" FOREIGN KEY ("supply_id") REFERENCES "supplies" ("id")
ALTER TABLE "supply_draws" DROP FOREIGN KEY "supply_draws_supply_id_to_supplies";
-- back: ALTER TABLE "supply_draws" ADD CONSTRAINT "supply_draws_taken_by_id_to_members" FOREIGN KEY ("taken_by_id") REFERENCES "members" ("id")
ALTER TABLE "supply_draws" DROP FOREIGN KEY "supply_draws_taken_by_id_to_members";
-- back: ALTER TABLE "huts_amenities" ADD CONSTRAINT "huts_amenities_hut_id_to_huts" FOREIGN KEY ("hut_id") REFERENCES "huts" ("id") ON DELETE CASCADE
ALTER TABLE "huts_amenities" DROP FOREIGN KEY "huts_amenities_hut_id_to_huts";
-- back: ALTER TABLE "huts_amenities" ADD CONSTRAINT "huts_amenities_amenity_id_to_amenities" FOREIGN KEY ("amenity_id") REFERENCES "amenities" ("slug") ON DELETE CASCADE
ALTER TABLE "huts_amenities" DROP FOREIGN KEY "huts_amenities_amenity_id_to_amenities";

-- what is remembered by those names
UPDATE "vantfell_journal" SET "model" = CASE "model" WHEN 'amenity' THEN 'amenity (gone)' WHEN 'member' THEN 'member (gone)' WHEN 'hut' THEN 'hut (gone)' WHEN 'night' THEN 'night (gone)' WHEN 'stay' THEN 'stay (gone)' WHEN 'guest' THEN 'guest (gone)' WHEN 'message' THEN 'message (gone)' WHEN 'profile' THEN 'profile (gone)' WHEN 'report' THEN 'report (gone)' WHEN 'supply' THEN 'supply (gone)' WHEN 'supply-draw' THEN 'supply-draw (gone)' ELSE "model" END WHERE "model" IN ('amenity', 'member', 'hut', 'night', 'stay', 'guest', 'message', 'profile', 'report', 'supply', 'supply-draw');
DELETE FROM "vantfell_samples" WHERE substr("name", 1, 8) = 'amenity/';
DELETE FROM "vantfell_samples" WHERE substr("name", 1, 7) = 'member/';
DELETE FROM "vantfell_samples" WHERE substr("name", 1, 4) = 'hut/';
DELETE FROM "vantfell_samples" WHERE substr("name", 1, 6) = 'night/';
DELETE FROM "vantfell_samples" WHERE substr("name", 1, 5) = 'stay/';
DELETE FROM "vantfell_samples" WHERE substr("name", 1, 6) = 'guest/';
DELETE FROM "vantfell_samples" WHERE substr("name", 1, 8) = 'message/';
DELETE FROM "vantfell_samples" WHERE substr("name", 1, 8) = 'profile/';
DELETE FROM "vantfell_samples" WHERE substr("name", 1, 7) = 'report/';
DELETE FROM "vantfell_samples" WHERE substr("name", 1, 7) = 'supply/';
DELETE FROM "vantfell_samples" WHERE substr("name", 1, 12) = 'supply-draw/';

-- what goes
DROP TABLE "amenities";
DROP TABLE "members";
DROP TABLE "huts";
DROP TABLE "nights";
DROP TABLE "stays";
DROP TABLE "guests";
DROP TABLE "messages";
DROP TABLE "profiles";
DROP TABLE "reports";
DROP TABLE "supplies";
DROP TABLE "supply_draws";
DROP TABLE "huts_amenities";
