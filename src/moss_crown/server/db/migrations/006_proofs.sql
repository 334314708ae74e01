-- Finished proofs of whole frames, with the revision that they show: to compare with.
create table proof (
  id uuid primary key default gen_random_uuid(),
  shot_id uuid not null references shot(id),
  revision integer not null,
  frame integer not null,
  samples integer not null,
  picture bytea not null,
  made_at timestamptz not null default now()
);
create index proof_by_shot on proof (shot_id, made_at desc);
alter table proof alter column picture set storage external;
