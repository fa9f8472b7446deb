-- A session is known here as long as it lasts, so that signing out ends it whoever kept its cookie.
create table session (
  session_id uuid primary key,
  user_id    integer not null references app_user,
  started_at timestamptz not null default now(),
  seen_at    timestamptz not null default now(),
  address    text not null
);
create index session_of on session (user_id);
grant select, insert, update (seen_at), delete on session to assignum_app;

-- Wrong passwords by name and address: a stranger elsewhere keeps nobody out. Names are kept as hashes, since what is
-- typed there is now and then a password.
alter table sign_in_failure add column name bytea not null default ''::bytea;
create index sign_in_failure_name on sign_in_failure (name, address, at);
grant delete on sign_in_failure to assignum_app;
