import { Dialog } from 'radix-ui';
import { useEffect, useRef } from 'react';
import { OrderCard } from './OrderCard';
import { closeDrawer, useDrawer } from './open';
import { TicketForm } from './TicketForm';
import { giveBack } from '../ui/dialog';

/** Over the view at the right: a ticket, or the card of an order. */
export function Drawer() {
  const { ticket, order } = useDrawer();
  const box = useRef<HTMLDivElement>(null);
  // The button that was pressed is gone when a ticket becomes an order: the keyboard stays in the drawer.
  useEffect(() => {
    if (order !== undefined) box.current?.focus();
  }, [order]);
  return (
    <Dialog.Root
      modal={false}
      open={ticket !== undefined || order !== undefined}
      onOpenChange={(open) => {
        if (!open) closeDrawer();
      }}
    >
      <Dialog.Portal>
        <Dialog.Content
          ref={box}
          data-modal
          data-ticket
          tabIndex={-1}
          aria-describedby={undefined}
          onCloseAutoFocus={giveBack}
          onInteractOutside={(e) => {
            e.preventDefault();
          }}
          onOpenAutoFocus={(e) => {
            e.preventDefault();
            box.current?.focus();
          }}
          className="fixed top-12 right-0 bottom-11 z-30 flex w-[380px] max-md:top-0 max-md:bottom-0 max-md:w-full scroll-pb-64 flex-col outline-none overflow-y-auto border-l border-strong bg-raised p-4 shadow-[var(--shadow)]"
        >
          <div className="mb-2 flex items-baseline justify-between">
            <Dialog.Title className="font-serif text-[19px]">
              {ticket
                ? ticket.becomes !== undefined
                  ? 'Rework ticket'
                  : ticket.closing
                    ? 'Closing ticket'
                    : 'Ticket'
                : `Order ${order ?? ''}`}
            </Dialog.Title>
            <Dialog.Close
              aria-label="Close"
              className="rounded px-1.5 text-[16px] text-ink2 hover:text-ink"
            >
              ×
            </Dialog.Close>
          </div>
          {ticket && <TicketForm key={ticket.clientId} ticket={ticket} />}
          {order !== undefined && <OrderCard key={order} id={order} />}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
