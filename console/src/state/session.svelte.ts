// Who is signed in, and how things stand with the service.
import type { Status } from '../api/types';
import type { Service } from '../border/service';
import type { Page } from './page';
import { time } from './words';
import { t } from '../language/language.svelte';

const LINK = '#entry=';

export interface LampSays {
  look: 'lit' | 'dark' | 'broken';
  words: string;
  reason: string | null;
}

/** True for the fragment of a sign-in link. */
export const isEntry = (fragment: string): boolean => fragment.startsWith(LINK);

export class Session {
  entry = $state<'opening' | 'out' | 'in'>('opening');
  /** One was signed in here before: the page stays where it is while one signs in again. */
  before = $state(false);
  /** Why signing in did not work. */
  problem = $state<string | null>(null);
  /** The service answers. */
  reached = $state(true);
  status = $state.raw<Status | null>(null);
  /** Called when one has been signed in, and when one is no longer. */
  onIn: () => void = () => {};
  onOut: () => void = () => {};

  constructor(
    private service: Service,
    private page: Page,
  ) {
    service.onSignedOut = () => this.#out();
    service.onSignedIn = () => this.#in();
  }

  /** Signs in with the link that led here, or with what an earlier sign-in left. */
  async open(): Promise<void> {
    const { fragment } = this.page;
    if (isEntry(fragment)) {
      // The link may say where it leads; a window that is known already keeps its sign-in.
      const [secret = '', to = ''] = fragment.slice(LINK.length).split('&to=');
      if (to) this.page.replace(`#/${to}`);
      else this.page.hideFragment();
      if (!to || !(await this.service.isKnown())) await this.#enter(secret);
    }
    if (await this.service.canEnter()) this.#in();
    else this.#out();
  }

  /** Signs in with a link that was pasted, or with the secret in it. True when that worked. */
  async enter(link: string): Promise<boolean> {
    const secret = link.trim().split(LINK).pop() ?? '';
    this.problem = null;
    if (!(await this.#enter(secret))) return false;
    this.#in();
    return true;
  }

  async #enter(secret: string): Promise<boolean> {
    try {
      await this.service.signIn(secret);
      this.problem = null;
      return true;
    } catch (why) {
      this.problem = why instanceof Error ? why.message : String(why);
      return false;
    }
  }

  /** Pauses capture for so many minutes, or (`null`) until it is resumed. */
  async pause(minutes: number | null): Promise<void> {
    this.status = await this.service.pause(minutes);
  }

  /** Captures again what is copied from now on. */
  async resume(): Promise<void> {
    this.status = await this.service.resume();
  }

  async signOut(): Promise<void> {
    await this.service.signOut();
    this.#out();
  }

  #in(): void {
    if (this.entry === 'in') return;
    this.entry = 'in';
    this.before = true;
    this.problem = null;
    this.onIn();
  }

  #out(): void {
    const was = this.entry;
    this.entry = 'out';
    if (was === 'in') this.onOut();
  }

  get lamp(): LampSays {
    if (!this.reached) {
      return { look: 'broken', words: t('The service does not answer'), reason: t('Copies are not being kept unless it runs. It is tried again by itself.') };
    }
    const capture = this.status?.capture;
    const reason = capture?.reason ? capture.reason.charAt(0).toUpperCase() + capture.reason.slice(1) + '.' : null;
    switch (capture?.state) {
      case 'keeping':
        return { look: 'lit', words: t('Keeping copies'), reason };
      case 'waiting':
        return { look: 'broken', words: t('Copies wait in memory'), reason };
      case 'broken':
        return { look: 'broken', words: t('Copies are not being kept'), reason };
      case 'paused': {
        const until = capture?.paused_until;
        return { look: 'dark', words: until ? t('Paused until {until}', { until: time(until / 1000) }) : t('Paused'), reason: null };
      }
      case 'off':
        return { look: 'dark', words: t('Capture is off'), reason };
      default:
        return { look: 'dark', words: t('Starting'), reason };
    }
  }
}
