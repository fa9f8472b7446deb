-- A second factor: its secret is hidden with the keys that protect cookies; each step of time opens once.
create table second_factor (
  user_id      integer primary key references app_user,
  secret       text not null,
  confirmed_at timestamptz,
  last_step    bigint not null default 0
);
create table recovery_code (user_id integer not null references app_user, code_hash bytea not null, primary key (user_id, code_hash));
grant select, insert, update, delete on second_factor, recovery_code to assignum_app;

-- Sources whose events a key may send; null: all.
alter table api_key add column sources text[];
