-- Looks that users keep: material, environment, lights and stage without a title. Those of our own are in the code.
create table look (
  id uuid primary key default gen_random_uuid(),
  production_id uuid not null references production(id),
  name text not null,
  look jsonb not null,
  added_at timestamptz not null default now(),
  removed_at timestamptz
);
create index look_by_production on look (production_id) where removed_at is null;
