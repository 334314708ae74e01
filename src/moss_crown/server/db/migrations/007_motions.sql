-- Motions that users keep: the motion steps of a shot under a name. Those of our own are in the code.
create table motion (
  id uuid primary key default gen_random_uuid(),
  production_id uuid not null references production(id),
  name text not null,
  motion jsonb not null,
  added_at timestamptz not null default now(),
  removed_at timestamptz
);
create index motion_by_production on motion (production_id) where removed_at is null;
