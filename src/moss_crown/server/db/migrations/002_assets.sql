-- What users bring in: fonts and emblems. The id is made from the content, so that a document names what it means.
create table asset (
  production_id uuid not null references production(id),
  id text not null,
  kind text not null check (kind in ('font', 'emblem')),
  name text not null,
  facts jsonb not null,
  data bytea not null,
  added_at timestamptz not null default now(),
  removed_at timestamptz,
  primary key (production_id, id)
);
create index asset_by_id on asset (id);
alter table asset alter column data set storage external;
