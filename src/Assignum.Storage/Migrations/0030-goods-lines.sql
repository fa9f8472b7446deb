-- What events say of goods between us and others, line by line, so that a cut-off reads no event.
create table goods_line (
  entity_id  integer not null,
  event_id   bigint not null,
  line_no    integer not null,
  date       date not null,
  fact       text not null check (fact in ('shipped', 'invoiced', 'received', 'billed')),
  party text, order_ref text, item text not null, named text, document text not null,
  quantity   numeric not null,
  -- Net revenue, and cost of sales or what it is worth in stock; base currency.
  amount     numeric not null,
  account_id bigint,
  cost       numeric not null,
  cost_account_id bigint,
  unit_price numeric,
  location   text,
  primary key (entity_id, event_id, line_no)
);
create index goods_line_date on goods_line (entity_id, date, event_id, line_no);
grant select, insert on goods_line to assignum_app;
insert into goods_line
with e as (
  select v.entity_id, v.event_id, v.kind, o.date, v.body::jsonb as body, v.source, v.external_id, n.entry_id, n.rate, o.turn,
    o.by_event_id
  from (select entity_id, event_id, date, 1 as turn, event_id as by_event_id from event
        union all
        select x.entity_id, x.event_id, r.date, -1, x.by_event_id from event_reversal x join event r on r.entity_id = x.entity_id
          and r.event_id = x.by_event_id) o
  join event v on v.entity_id = o.entity_id and v.event_id = o.event_id and v.kind in ('goods-shipped', 'goods-returned',
    'sales-invoice', 'sales-credit-note', 'channel-sale', 'channel-refund', 'goods-received', 'supplier-invoice',
    'supplier-credit-note')
  left join entry n on n.entity_id = v.entity_id and n.event_entity_id = v.entity_id and n.event_id = v.event_id and n.role =
    'entry'),
l as (
  select e.*, x.line, (x.no - 1)::integer as no from e cross join lateral
    jsonb_array_elements(coalesce(e.body -> 'lines', '[]')) with ordinality x(line, no)
  where x.line ->> 'item' is not null and coalesce(x.line ->> 'quantity', '1')::numeric <> 0),
s as (
  select l.entity_id, l.event_id, l.no,
    sum(j.credit - j.debit) filter (where j.purpose in ('sales-revenue', 'sales-returns', 'sales-discount', 'project-revenue',
      'project-billings')) as revenue,
    (array_agg(j.account_id order by j.line_no) filter (where j.purpose in ('sales-revenue', 'sales-returns')))[1] as account,
    sum(j.debit - j.credit) filter (where j.purpose = 'cost-of-sales' or j.purpose = 'shipped-not-invoiced' and l.kind in
      ('goods-shipped', 'goods-returned')) as cost,
    (array_agg(j.account_id order by j.line_no) filter (where j.purpose = 'cost-of-sales'))[1] as cost_account,
    sum(j.debit - j.credit) filter (where j.purpose = 'stock') as held
  from (select distinct entity_id, event_id, entry_id, kind, no from l) l
  join entry_line j on j.entity_id = l.entity_id and j.entry_id = l.entry_id and j.event_line = l.no
  group by 1, 2, 3)
select l.entity_id, l.by_event_id, l.no, l.date, case when l.kind in ('goods-shipped', 'goods-returned') then 'shipped' when
    l.kind = 'goods-received' then 'received' when l.kind in ('supplier-invoice', 'supplier-credit-note') then 'billed' else
    'invoiced' end,
  l.body ->> 'party', coalesce(l.line ->> 'order', l.body ->> 'order'), l.line ->> 'item',
  coalesce(l.line ->> 'shipment', l.line ->> 'receipt'), coalesce(l.body ->> 'reference', l.source || '/' || l.external_id),
  coalesce(l.line ->> 'quantity', '1')::numeric * case when l.kind in ('goods-returned', 'sales-credit-note',
    'channel-refund', 'supplier-credit-note') then -1 else 1 end * l.turn,
  coalesce(s.revenue, 0) * l.turn, s.account, coalesce(case when l.kind = 'goods-received' then coalesce(s.held,
    round((l.line ->> 'unitCost')::numeric * coalesce(l.line ->> 'quantity', '1')::numeric * coalesce(l.rate,
      (l.body ->> 'rate')::numeric, 1), 2)) else s.cost end, 0) * l.turn, s.cost_account,
  (l.line ->> 'unitPrice')::numeric * coalesce(l.rate, (l.body ->> 'rate')::numeric, 1),
  coalesce(l.line ->> 'location', l.body ->> 'location')
from l left join s on s.entity_id = l.entity_id and s.event_id = l.event_id and s.no = l.no;
