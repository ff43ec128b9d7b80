// The browser, as far as the state needs it.
import { flushSync } from 'svelte';

import type { Page } from '../state/page';
import { shared } from './shared';
import { chime } from './sound';
import { t } from '../language/language.svelte';

export const page: Page = {
  // The console is served to phones over TLS, and to this computer without.
  onPhone: window.location.protocol === 'https:',
  // The promise is handed over at once: some browsers let go of the touch that allows it as soon as anything is waited for.
  putHere: (what, type) => navigator.clipboard.write([new ClipboardItem({ [type]: what })]),
  shared,
  get fragment() {
    return window.location.hash;
  },
  go(fragment) {
    window.history.pushState(null, '', fragment);
  },
  replace(fragment) {
    window.history.replaceState(null, '', fragment);
  },
  hideFragment() {
    window.history.replaceState(null, '', window.location.pathname);
  },
  kept: (name) => localStorage.getItem(name),
  keep(name, value) {
    try {
      if (value === null) localStorage.removeItem(name);
      else localStorage.setItem(name, value);
      return true;
    } catch {
      return false;
    }
  },
  keptHere: (name) => sessionStorage.getItem(name),
  keepHere(name, value) {
    try {
      sessionStorage.setItem(name, value);
    } catch {
      // Where one was is not worth a word.
    }
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
    flushSync();
    document.getElementById(id)?.focus({ preventScroll: true });
  },
  chime,
  close() {
    window.close();
  },
  now: () => Date.now(),
};

/** The lamp is the page's icon, and its title says which page it is, how much was copied today, and when something is wrong. */
export function showLamp(look: string, title: string): void {
  document.querySelector('link[rel=icon]')?.setAttribute('href', `/lamp-${look}.svg`);
  document.title = title;
}

const THEME = 'yadori.theme';

/** Light or dark, or as the desktop says: also when it is opened the next time, before it has heard of it. */
export function showTheme(theme: string): void {
  const names: Record<string, string> = { light: 'lodge-day', dark: 'lodge-night' };
  const name = names[theme];
  if (name) document.documentElement.dataset.theme = name;
  else delete document.documentElement.dataset.theme;
  page.keep(THEME, name ? theme : null);
}

export const showThemeAsBefore = (): void => showTheme(page.kept(THEME) ?? 'system');

/** Fingers point here, which need room. */
export const isTouched = (): boolean => window.matchMedia('(pointer: coarse)').matches;

/** What this browser calls itself, for the list of those that are signed in. */
export function ownName(): string {
  const { userAgent } = navigator;
  const known: [RegExp, string][] = [[/Firefox\//, 'Firefox'], [/Edg\//, 'Edge'], [/Chrom(e|ium)\//, 'Chromium'], [/Safari\//, 'Safari']];
  const systems: [RegExp, string][] = [[/Android/, 'Android'], [/iPhone|iPad/, 'iOS'], [/Mac OS X/, 'macOS'], [/Windows/, 'Windows'], [/Linux/, 'Linux']];
  const pick = (list: [RegExp, string][]): string | undefined => list.find(([sign]) => sign.test(userAgent))?.[1];
  return t('{browser} on {system}', { browser: pick(known) ?? t('A browser'), system: pick(systems) ?? t('another system') });
}
