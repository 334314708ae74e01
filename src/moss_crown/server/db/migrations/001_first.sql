create table production (
  id uuid primary key,
  name text not null,
  defaults jsonb not null,
  created_at timestamptz not null default now()
);

create table shot (
  id uuid primary key,
  production_id uuid not null references production(id),
  document jsonb not null,
  revision integer not null default 1,
  -- how many entries of the history are applied; undo lowers it, redo raises it
  cursor integer not null default 0,
  position bigint generated always as identity,
  created_at timestamptz not null default now(),
  updated_at timestamptz not null default now(),
  deleted_at timestamptz
);
create index shot_of_production on shot (production_id, position);

create table history (
  shot_id uuid not null references shot(id),
  number integer not null,
  label text not null,
  patch jsonb not null,
  inverse jsonb not null,
  made_at timestamptz not null default now(),
  primary key (shot_id, number)
);

create table poster (
  shot_id uuid primary key references shot(id),
  revision integer not null,
  picture bytea not null,
  strip jsonb not null,
  letters integer not null
);

create table take (
  id uuid primary key,
  shot_id uuid not null references shot(id),
  number integer not null,
  revision integer not null,
  document jsonb not null,
  orders jsonb not null,
  state text not null check (state in ('queued', 'running', 'stopping', 'stopped', 'done', 'failed')),
  message text not null default '',
  created_at timestamptz not null default now(),
  finished_at timestamptz,
  unique (shot_id, number)
);

create table take_frame (
  take_id uuid not null references take(id),
  frame integer not null,
  picture bytea not null,
  seconds double precision not null,
  worker text not null,
  finished_at timestamptz not null default now(),
  primary key (take_id, frame)
);

create table take_file (
  take_id uuid not null references take(id),
  kind text not null,
  data bytea not null,
  primary key (take_id, kind)
);
-- pictures are compressed already
alter table take_frame alter column picture set storage external;
alter table take_file alter column data set storage external;
alter table poster alter column picture set storage external;
