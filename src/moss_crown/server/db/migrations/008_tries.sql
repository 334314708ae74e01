-- How often a take was begun since it last got a frame: what ends its runner every time is given up.
alter table take add column tries integer not null default 0;
