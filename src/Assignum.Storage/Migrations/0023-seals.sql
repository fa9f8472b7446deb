-- Evidence: each entry carries the SHA-256 of its content and the seal of the entry before (EntrySeal); each audit line the
-- same of its own (audit_content). Whoever changes or takes away a line breaks every seal after it.
alter table entry add column seal bytea;
alter table posting add column seal bytea not null default '';

alter table audit add column seal bytea;
-- The last seal of each chain: 0 is that of lines that belong to no entity. Written by the trigger alone.
create table audit_head (entity_id integer primary key, audit_id bigint not null, seal bytea not null);
grant select on audit_head to assignum_app;
create function audit_content(a audit) returns bytea language sql stable as $$
  select convert_to(concat_ws(E'\x1f', a.audit_id, coalesce(a.entity_id, 0),
    (extract(epoch from a.at) * 1000000)::bigint, a.who, a.what, a.subject, coalesce(a.before::text, E'\x1e'),
    coalesce(a.after::text, E'\x1e')), 'UTF8')
$$;
create function audit_sealed() returns trigger language plpgsql security definer set search_path = public as $$
declare head audit_head;
begin
  insert into audit_head values (coalesce(new.entity_id, 0), 0, '') on conflict do nothing;
  select * into head from audit_head where entity_id = coalesce(new.entity_id, 0) for update;
  -- Numbered once it is its turn, so that the numbers of a chain stand in the order of its seals.
  new.audit_id := nextval(pg_get_serial_sequence('audit', 'audit_id'));
  new.seal := sha256(head.seal || audit_content(new));
  update audit_head set audit_id = new.audit_id, seal = new.seal where entity_id = head.entity_id;
  return new;
end $$;
do $$
declare line audit; last bytea; sealed bytea; chain integer;
begin
  for chain in select distinct coalesce(entity_id, 0) from audit loop
    last := '';
    for line in select * from audit where coalesce(entity_id, 0) = chain order by audit_id loop
      sealed := sha256(last || audit_content(line));
      update audit set seal = sealed where audit_id = line.audit_id;
      last := sealed;
      insert into audit_head values (chain, line.audit_id, sealed)
        on conflict (entity_id) do update set audit_id = excluded.audit_id, seal = excluded.seal;
    end loop;
  end loop;
end $$;
alter table audit alter column seal set not null;
create trigger audit_sealed before insert on audit for each row execute function audit_sealed();
create index audit_at on audit (at);
