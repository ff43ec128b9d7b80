// Who is signed in, and how things stand with the service.
import type { Status } from '../api/types';
import type { Service } from '../border/service';
import type { Page } from './page';

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
  /** Why signing in did not work. */
  problem = $state<string | null>(null);
  /** The service answers. */
  reached = $state(true);
  status = $state.raw<Status | null>(null);

  constructor(
    private service: Service,
    private page: Page,
  ) {
    service.onSignedOut = () => (this.entry = 'out');
  }

  /** Signs in with the link that led here, or with the key of an earlier sign-in. */
  async open(): Promise<void> {
    const { fragment } = this.page;
    if (isEntry(fragment)) {
      this.page.hideFragment();
      try {
        await this.service.signIn(fragment.slice(LINK.length));
      } catch (why) {
        this.problem = why instanceof Error ? why.message : String(why);
        this.service.forgetKey();
      }
    }
    this.entry = this.service.hasKey ? 'in' : 'out';
  }

  get lamp(): LampSays {
    if (!this.reached) {
      return { look: 'broken', words: 'The service does not answer', reason: 'Copies are not being kept unless it runs. It is tried again by itself.' };
    }
    const capture = this.status?.capture;
    const reason = capture?.reason ? capture.reason.charAt(0).toUpperCase() + capture.reason.slice(1) + '.' : null;
    switch (capture?.state) {
      case 'keeping':
        return { look: 'lit', words: 'Keeping copies', reason };
      case 'waiting':
        return { look: 'broken', words: 'Copies wait in memory', reason };
      case 'broken':
        return { look: 'broken', words: 'Copies are not being kept', reason };
      case 'off':
        return { look: 'dark', words: 'Capture is off', reason };
      default:
        return { look: 'dark', words: 'Starting', reason };
    }
  }
}
