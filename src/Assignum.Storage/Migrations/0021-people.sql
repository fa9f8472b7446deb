-- A link that is shown once and lets one person set a password: an invitation, or help for who forgot it.
create table password_link (
  token_hash bytea primary key,
  user_id    integer not null references app_user,
  until      timestamptz not null,
  made_by    text not null
);
grant select, insert, update, delete on password_link to assignum_app;

alter table api_key
  add column made_by text not null default 'Assignum',
  add column expires_at timestamptz,
  add column last_used_at timestamptz;
