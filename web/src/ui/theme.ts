const KEY = 'moss-crown.theme';

export function applyTheme() {
  const theme = localStorage.getItem(KEY) ?? 'dark';
  document.documentElement.dataset.theme = theme;
}

export function toggleTheme() {
  localStorage.setItem(KEY, document.documentElement.dataset.theme === 'light' ? 'dark' : 'light');
  applyTheme();
}
