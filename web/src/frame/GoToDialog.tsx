import { Dialog } from 'radix-ui';
import { box, giveBack, overlay } from '../ui/dialog';
import GoTo from './GoTo';

/** The clock of the account taken ahead; everything on the way happens in its order. */
export default function GoToDialog({ onClose }: { onClose: () => void }) {
  return (
    <Dialog.Root
      open
      onOpenChange={(open) => {
        if (!open) onClose();
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className={overlay} />
        <Dialog.Content
          data-modal
          aria-describedby={undefined}
          onCloseAutoFocus={giveBack}
          className={`${box} w-[560px] max-w-full`}
        >
          <Dialog.Title className="mb-2 font-serif text-[16px]">Take the clock ahead</Dialog.Title>
          <GoTo autoFocus onDone={onClose} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
