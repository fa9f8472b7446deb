-- What landed on each account by month, purpose and kind, kept up by posting; of stock that lies somewhere by item and
-- place too. Tie-outs and stock over a long time read these and the days of one month.
create table landed_month (
  entity_id  integer not null,
  account_id bigint not null,
  month      date not null,
  -- Empty: by hand.
  purpose    text collate "C" not null,
  kind       text collate "C" not null,
  -- Empty but of stock.
  item       text collate "C" not null,
  location   text collate "C" not null,
  state      text collate "C" not null,
  amount     numeric not null,
  lines      bigint not null,
  quantity   numeric not null,
  -- Entries that have such a row, each counted once a row whatever its purposes.
  entries    bigint not null,
  since      date not null,
  primary key (entity_id, account_id, month, purpose, kind, item, location, state)
);
grant select, insert, update on landed_month to assignum_app;
insert into landed_month
  select entity_id, account_id, month, purpose, kind, item, location, state, sum(amount), count(*), sum(quantity),
    count(*) filter (where first and state <> ''), min(date)
  from (
    select l.entity_id, l.account_id, date_trunc('month', n.date)::date as month, coalesce(l.purpose, '') as purpose,
      coalesce(n.counts_as, n.kind) as kind, coalesce(m.item, '') as item, coalesce(m.location, '') as location,
      coalesce(m.state, '') as state, l.debit - l.credit as amount, coalesce(m.quantity, 0) as quantity, n.date,
      row_number() over (partition by l.entity_id, l.entry_id, l.account_id, m.item, m.location, m.state order by l.line_no) = 1
        as first
    from entry_line l join entry n on n.entity_id = l.entity_id and n.entry_id = l.entry_id
    left join subledger_movement m on m.entity_id = l.entity_id and m.entry_id = l.entry_id and m.line_no = l.line_no and
      m.control = 'stock' and m.state <> 'shipped') x
  group by 1, 2, 3, 4, 5, 6, 7, 8;
create index subledger_movement_apart on subledger_movement (entity_id, account_id, date)
  where entry_id is null or state = 'shipped';
create index entry_by_hand on entry (entity_id, date)
  where coalesce(counts_as, kind) in ('hand-entry', 'opening', 'reclassified');
