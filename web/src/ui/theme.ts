import { create } from 'zustand';

type Theme = 'light' | 'night';
const kept = (): Theme => (localStorage.getItem('theme') === 'night' ? 'night' : 'light');
export const useTheme = create<{ theme: Theme }>(() => ({ theme: kept() }));

function show(theme: Theme) {
  document.documentElement.dataset.theme = theme;
}
show(useTheme.getState().theme);

export function toggleTheme() {
  const theme = useTheme.getState().theme === 'light' ? 'night' : 'light';
  localStorage.setItem('theme', theme);
  show(theme);
  useTheme.setState({ theme });
}
