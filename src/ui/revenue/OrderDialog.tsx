'use client';

import { useQuery } from '@tanstack/react-query';
import type { OrderCreditsView } from '@/core/api';
import { sayMoney } from '@/core/money';
import { CREDIT_MODELS, MODEL_WORDS, type CreditModel } from '@/core/revenue';
import { api, Dialog, Empty, Failed, sayMoment, useStore, Link } from '../kit';

/** An order with the messages before it: why each counts or does not, and what each gets by each model. */
export function OrderDialog({ orderId, model, onClose }: { orderId: string; model: CreditModel; onClose: () => void }) {
  const { zone } = useStore();
  const { data, error, refetch } = useQuery({
    queryKey: ['order', orderId],
    queryFn: () => api<OrderCreditsView>(`/orders/${encodeURIComponent(orderId)}/credits`),
  });
  const say = (minor: number) => sayMoney({ currency: data?.currency ?? 'EUR', minor });
  return (
    <Dialog
      isOpen
      onClose={onClose}
      width={980}
      title={`Order ${orderId}`}
      about={
        data
          ? `Placed ${sayMoment(data.placedAt, zone)} over ${say(data.value)}; ${say(data.net)} of it counts` +
            `${data.discount ? `, ${say(data.discount)} was taken off` : ''}.`
          : undefined
      }
    >
      {error && <Failed error={error} retry={() => void refetch()} />}
      {!data && !error && <Empty title="Looking…" />}
      {data && (
        <div className="grid gap-4">
          {data.bookings.length > 1 && (
            <ul className="text-sm tabular">
              {data.bookings.map(({ at, minor }) => (
                <li key={at + minor}>
                  {sayMoment(at, zone)}: {minor > 0 ? '+' : '−'}
                  {say(Math.abs(minor))}
                </li>
              ))}
            </ul>
          )}
          {data.touches.length ? (
            <table className="w-full text-sm">
              <thead>
                <tr className="border-b border-line text-left text-xs text-soft">
                  <th className="py-1 font-normal">Message</th>
                  <th className="py-1 font-normal">What was done with it</th>
                  {CREDIT_MODELS.map((one) => (
                    <th
                      key={one}
                      scope="col"
                      className={`py-1 pl-3 text-right ${one === model ? 'font-semibold text-ink' : 'font-normal'}`}
                    >
                      {MODEL_WORDS[one].name}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {data.touches.map((touch) => (
                  <tr key={touch.send} className="border-b border-line align-top">
                    <td className="py-2 pr-3">
                      <Link href={`/flows/${touch.flow.key}`} className="font-semibold hover:underline">
                        {touch.message}
                      </Link>
                      <span className="block text-xs text-soft">
                        {touch.flow.name}, {touch.channel}
                      </span>
                    </td>
                    <td className={`py-2 pr-3 ${touch.counts ? '' : 'text-soft'}`}>{touch.says}</td>
                    {CREDIT_MODELS.map((one) => (
                      <td key={one} className={`py-2 pl-3 text-right tabular ${one === model ? 'font-semibold' : ''}`}>
                        {touch.credits[one] ? say(touch.credits[one]) : <span className="text-soft">–</span>}
                      </td>
                    ))}
                  </tr>
                ))}
              </tbody>
            </table>
          ) : (
            <p className="text-soft">No message reached them in the 90 days before it: nothing is credited.</p>
          )}
          <p>
            <Link href={`/people/${data.person}`} className="text-accent underline">
              Who ordered
            </Link>
          </p>
        </div>
      )}
    </Dialog>
  );
}
