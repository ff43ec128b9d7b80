// The browser, as far as the state needs it.
import type { Page } from '../state/page';

export const page: Page = {
  get fragment() {
    return window.location.hash;
  },
  go(fragment) {
    window.location.hash = fragment;
  },
  hideFragment() {
    window.history.replaceState(null, '', window.location.pathname);
  },
  kept: (name) => localStorage.getItem(name),
  keep(name, value) {
    if (value === null) localStorage.removeItem(name);
    else localStorage.setItem(name, value);
  },
  after(ms, work) {
    const timer = setTimeout(work, ms);
    return () => clearTimeout(timer);
  },
  withNextFrame(work) {
    if (document.hidden) setTimeout(work, 50);
    else requestAnimationFrame(work);
  },
  focus(id) {
    document.getElementById(id)?.focus();
  },
  now: () => Date.now(),
};

/** The lamp is the page's icon, and its title says when something is wrong. */
export function showLamp(look: string, title: string): void {
  document.querySelector('link[rel=icon]')?.setAttribute('href', `/lamp-${look}.svg`);
  document.title = title;
}
