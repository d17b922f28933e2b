import { kept } from '../ui/kept';

/** How bells are heard beyond the page; off until asked for. */
export const useHeard = kept<{ notify: boolean; sound: boolean }>('heard', {
  notify: false,
  sound: false,
});

let bell: HTMLAudioElement | undefined;
/** Strikes the bell once. */
export function strike() {
  bell ??= new Audio('/bell.wav');
  bell.currentTime = 0;
  // A page that nobody has touched yet may not make a sound; the toast is there all the same.
  bell.play().catch(() => undefined);
}

/** Tells the desktop, where it was allowed. */
export function notify(says: string) {
  if ('Notification' in window && Notification.permission === 'granted')
    new Notification('Pike Bell', { body: says, icon: '/bell.svg' });
}

/** Asks the desktop once whether it may be told. */
async function allow(wanted: boolean) {
  const asked = wanted && 'Notification' in window;
  useHeard.setState({
    notify: asked && (await Notification.requestPermission()) === 'granted',
  });
}

/** Whether bells are heard as a sound and on the desktop. */
export function Heard() {
  const h = useHeard();
  return (
    <div className="flex flex-wrap gap-x-4 gap-y-1 border-t border-strong pt-2">
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          checked={h.sound}
          onChange={(e) => {
            useHeard.setState({ sound: e.target.checked });
            if (e.target.checked) strike();
          }}
          className="accent-[var(--brass)]"
        />
        a short sound
      </label>
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          checked={h.notify}
          onChange={(e) => {
            void allow(e.target.checked);
          }}
          className="accent-[var(--brass)]"
        />
        a desktop notification
      </label>
    </div>
  );
}
