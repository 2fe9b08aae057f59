-- 0001-first-tables, back, for SQLite. It runs in a transaction with foreign_keys off; they are checked at its end.

-- tables that go
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
