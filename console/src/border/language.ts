// In which language the console speaks: as the settings say, or else as the browser does, which follows the desktop.
import { firstKnown, speak, type Language } from '../language/language.svelte';
import { page } from './page';

const STORED = 'yadori.language';
let turn = 0;

/** Speaks as it is wished from now on; also when it is opened the next time, before it has heard of the wish. */
export async function speakAs(wish: 'system' | Language): Promise<void> {
  const own = ++turn;
  const language = wish === 'system' ? firstKnown(navigator.languages) : wish;
  const catalogue = language === 'ja' ? (await import('../../../locales/console/ja.po')).default : undefined;
  if (own !== turn) return;
  page.keep(STORED, wish === 'system' ? null : wish);
  speak(language, catalogue);
  document.documentElement.lang = language;
}

export const speakAsBefore = (): Promise<void> => {
  const known = page.kept(STORED);
  return speakAs(known === 'en' || known === 'ja' ? known : 'system');
};
