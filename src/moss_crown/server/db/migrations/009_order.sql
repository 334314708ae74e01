-- The place of a shot on the slate when it was put there by hand; until then shots stand as they were made.
alter table shot add column rank double precision;
