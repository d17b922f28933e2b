import { kept } from './kept';

type Theme = 'light' | 'night';
export const useTheme = kept<{ theme: Theme }>('theme', { theme: 'light' }, (t) =>
  t.theme === 'night' ? t : { theme: 'light' },
);

function show({ theme }: { theme: Theme }) {
  document.documentElement.dataset.theme = theme;
}
show(useTheme.getState());
useTheme.subscribe(show);

export function toggleTheme() {
  useTheme.setState(({ theme }) => ({ theme: theme === 'light' ? 'night' : 'light' }));
}
