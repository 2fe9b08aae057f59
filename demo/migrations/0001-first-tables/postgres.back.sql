-- 0001-first-tables, back, for PostgreSQL.

-- tables that go
DROP TABLE "amenities", "members", "huts", "nights", "stays", "guests", "messages", "profiles", "reports", "supplies", "supply_draws", "huts_amenities";
