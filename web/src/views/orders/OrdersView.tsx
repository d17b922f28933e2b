import { useQuery } from '@tanstack/react-query';
import type { Order } from '../../api/client';
import { ordersQuery } from '../../api/queries';
import { longWhen } from '../../format';
import { openOrder } from '../../ticket/open';
import { ties } from '../../ticket/ties';
import { Button, Notice } from '../../ui/controls';

const th = 'sticky top-0 border-b border-strong bg-ground px-2 py-1 text-[12px] font-normal text-ink2';
const right = `${th} text-right`;
const left = `${th} text-left`;

function Line({ order: o }: { order: Order }) {
  return (
    <tr className="border-b border-hair">
      <td className="num px-2">{o.id}</td>
      <td className="px-2 py-1 whitespace-nowrap tabular-nums">{longWhen(o.placed)}</td>
      <td className="px-2 font-semibold">{o.symbol}</td>
      <td className="px-2">{o.closes ? `${o.rolls ? '' : 'close '}${o.closes}: ` : ''}{o.name}{ties(o) && <div className="text-[12px] text-ink2">{ties(o)}</div>}</td>
      <td className="num px-2">{o.filled} / {o.quantity}</td>
      <td className="num px-2">{o.limit ? `${o.limit.amount} ${o.limit.side}` : 'market'}</td>
      <td className="num px-2">{o.fillPrice ? `${o.fillPrice.amount} ${o.fillPrice.side}` : ''}</td>
      <td className="px-2">{o.timeInForce}</td>
      <td className={`px-2 font-semibold ${o.open ? 'text-brass' : ''}`}>{o.state}</td>
      <td className="px-2"><Button onClick={() => { openOrder(o.id); }} aria-label={`${o.open ? 'change, cancel' : 'show'} order ${o.id}`}>{o.open ? 'change, cancel' : 'show'}</Button></td>
    </tr>
  );
}

export function OrdersView() {
  const orders = useQuery(ordersQuery);
  const all = orders.data ?? [];
  const groups: [string, Order[]][] = [['Working', all.filter((o) => o.open)], ['Done', all.filter((o) => !o.open).reverse()]];
  return (
    <div className="h-full overflow-auto px-4 pb-6" tabIndex={0}>
      <h1 className="pt-3 pb-1 font-serif text-[22px]">Orders</h1>
      {orders.error && <Notice>{orders.error.message}</Notice>}
      {groups.map(([title, list]) => (
        <section key={title} aria-label={title} className="mb-5">
          <h2 className="py-1 font-semibold">{title}</h2>
          {list.length === 0 ? <p className="text-ink2">{title === 'Working' ? 'Nothing is working. A ticket placed from the chain or the book waits here until it fills.' : 'Nothing has been filled, cancelled or ended yet.'}</p> : (
            <table className="w-full table-fixed border-collapse">
              <colgroup>{[56, 142, 72, null, 74, 104, 104, 150, 104, 124].map((w, i) => <col key={i} style={w === null ? undefined : { width: w }} />)}</colgroup>
              <thead><tr><th className={right}>order</th><th className={left}>placed</th><th className={left}>symbol</th><th className={left}>structure</th><th className={right}>filled</th><th className={right}>limit</th><th className={right}>average</th><th className={left}>stands</th><th className={left}>state</th><th className={left}><span className="sr-only">actions</span></th></tr></thead>
              <tbody>{list.map((o) => <Line key={o.id} order={o} />)}</tbody>
            </table>
          )}
        </section>
      ))}
    </div>
  );
}
