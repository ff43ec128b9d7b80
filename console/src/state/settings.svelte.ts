// What is kept, and everything else that can be set: read, tried, changed; and clearing by hand.
import type { AllOrders, AllRules, AllSettings, Autostart, ClearPlan, LimitsPlan, Order, Rule, Scope, Setting, TriedRules, TryRules } from '../api/types';
import type { Service } from '../border/service';
import type { Acts } from './acts.svelte';
import type { Messages } from './messages.svelte';
import type { Questions } from './questions.svelte';
import { count, size } from './words';
import { t } from '../language/language.svelte';

export type Changes = Record<string, unknown>;

/** A setting's value as it stands in a field. */
export const inField = (value: unknown): string => (value === null || value === undefined ? '' : typeof value === 'string' ? value : JSON.stringify(value));

/** What stands in a field as a value: a number, true, false, a table or list, or a text; nothing lets it be as usual. */
export function ofField(text: string): unknown {
  const trimmed = text.trim();
  if (trimmed === '') return null;
  try {
    return JSON.parse(trimmed) as unknown;
  } catch {
    return trimmed;
  }
}

export class Settings {
  all = $state.raw<AllSettings | null>(null);
  plan = $state.raw<LimitsPlan | null>(null);
  rules = $state.raw<AllRules | null>(null);
  orders = $state.raw<AllOrders | null>(null);
  /** Whether it starts with the desktop; why that is not known. */
  autostart = $state.raw<Autostart | string | null>(null);
  /** Why nothing can be shown. */
  failure = $state<string | null>(null);
  /** Why the limits that are being tried can't be. */
  wrong = $state<string | null>(null);
  #tried = 0;

  constructor(
    private service: Service,
    private acts: Acts,
    private messages: Messages,
    private questions: Questions,
  ) {}

  named = (name: string): Setting | undefined => this.all?.settings.find((one) => one.name === name);

  async load(): Promise<void> {
    try {
      const { service } = this;
      [this.all, this.plan, this.rules, this.orders] = await Promise.all([service.settings(), service.limitsPlan({}), service.rules(), service.orders()]);
      this.failure = null;
      void this.readAutostart();
    } catch (why) {
      this.failure = why instanceof Error ? why.message : String(why);
    }
  }

  async readAutostart(): Promise<void> {
    try {
      this.autostart = await this.service.autostart();
    } catch (why) {
      this.autostart = why instanceof Error ? why.message : String(why);
    }
  }

  /** Has it start with the desktop, or no longer. */
  async setAutostart(on: boolean): Promise<void> {
    try {
      this.autostart = await this.service.setAutostart(on);
      this.messages.tell(on ? t('It starts with your next session.') : t('It does not start with the desktop any more.'));
    } catch (why) {
      this.messages.fail(why);
      await this.readAutostart();
    }
  }

  /** Changes settings; gives false when they are as they were. */
  async set(changes: Changes, words: string): Promise<boolean> {
    try {
      this.all = await this.service.changeSettings(changes);
      this.messages.tell(words);
    } catch (why) {
      this.messages.fail(why);
      return false;
    }
    await this.load();
    return true;
  }

  /** Shows what limits would remove, while they are typed. The newest question is the one that counts. */
  async tryLimits(changes: Changes): Promise<void> {
    const turn = ++this.#tried;
    try {
      const plan = await this.service.limitsPlan(changes);
      if (turn !== this.#tried) return;
      this.plan = plan;
      this.wrong = null;
    } catch (why) {
      if (turn === this.#tried) this.wrong = why instanceof Error ? why.message : String(why);
    }
  }

  /** Sets limits and has them obeyed. It says first what would go, and asks. */
  async setLimits(changes: Changes): Promise<boolean> {
    await this.tryLimits(changes);
    const { plan } = this;
    if (this.wrong !== null || !plan) return false;
    if (plan.goes.clips > 0) {
      const yes = await this.questions.ask({
        title: t('Let {clips} go?', { clips: count(plan.goes.clips, 'clip') }),
        lines: [t('{bytes}, oldest first:', { bytes: size(plan.goes.bytes) }), ...plan.reasons.map((one) => `${count(one.amount.clips, 'clip')}: ${one.words}.`), plan.goes.clips > 50 ? t('They can be brought back for a while.') : t('They can’t be brought back.')],
        sample: plan.sample,
        yes: t('Let {clips} go', { clips: count(plan.goes.clips, 'clip') }),
        no: t('Keep them'),
      });
      if (!yes) return false;
    }
    if (!(await this.set(changes, t('The limits are set.')))) return false;
    await this.obey();
    return true;
  }

  async obey(): Promise<void> {
    try {
      const { clips } = await this.service.obeyLimits();
      this.acts.changed();
      if (clips > 0) this.messages.tell(t('{clips} went by the limits.', { clips: count(clips, 'clip') }));
    } catch (why) {
      this.messages.fail(why);
    }
    await this.load();
  }

  tryRules = (wanted: TryRules): Promise<TriedRules> => this.service.tryRules(wanted);
  clearPlan = (scope: Scope): Promise<ClearPlan> => this.service.clearPlan(scope);

  setRules = (rules: Rule[], words: string): Promise<boolean> => this.set({ rules: rules.map(given) }, words);
  setOrders = (orders: Order[], words: string): Promise<boolean> => this.set({ orders: orders.map(given) }, words);

  /** Clears what a scope takes. It says first what would go, and asks; gives true when it was done. */
  async clear(scope: Scope, live: boolean): Promise<boolean> {
    try {
      const plan = await this.service.clearPlan(scope);
      if (plan.clips === 0 && !live) {
        this.messages.tell(plan.spared > 0 ? t('There is nothing to clear: {favorites} would be meant, and stay.', { favorites: count(plan.spared, 'favorite') }) : t('There is nothing to clear.'), { wrong: true });
        return false;
      }
      const minutes = count(Math.ceil(plan.grace_seconds / 60), 'minute');
      const yes = await this.questions.ask({
        title: t('Clear {clips}?', { clips: count(plan.clips, 'clip') }),
        lines: [`${size(plan.bytes)}: ${plan.words}.`, ...(plan.spared > 0 ? [t('{favorites} stay.', { favorites: count(plan.spared, 'favorite') })] : []), ...(live ? [t('The live clipboard is emptied too.')] : []), t('It can be taken back for {minutes}.', { minutes })],
        sample: plan.sample,
        yes: t('Clear {clips}', { clips: count(plan.clips, 'clip') }),
        no: t('Keep everything'),
      });
      if (!yes) return false;
      const done = await this.service.clear({ scope, upto: plan.upto, live });
      this.acts.cleared(done.id ?? '', t('Cleared {clips}. It can be taken back for {minutes}.', { clips: count(done.clips, 'clip'), minutes }));
      return true;
    } catch (why) {
      this.messages.fail(why);
      return false;
    } finally {
      await this.load();
    }
  }

  /** Nothing from there is kept any more: a rule before all others, once that is confirmed. */
  async neverFrom(what: string, rule: Partial<Rule>): Promise<void> {
    const yes = await this.questions.ask({
      title: t('Never keep from {what}?', { what }),
      lines: [t('What is copied there from now on is not recorded. What is in the history stays.'), t('The rule stands first in the settings, and can be removed there.')],
      sample: [],
      yes: t('Never keep it'),
      no: t('Leave it'),
    });
    if (!yes) return;
    await this.load();
    const rules = this.rules?.rules.map((one) => one.rule) ?? [];
    await this.setRules([{ then: 'refuse', ...rule }, ...rules], t('Nothing from {what} is kept from now on.', { what }));
  }

  /** Secrets are recorded once that is confirmed. */
  askToPin = (what: string): Promise<boolean> =>
    this.questions.ask({
      title: t('Pin a secret?'),
      lines: [t('It was recognised as: {what}. It lives in memory alone and would be gone soon.', { what }), t('Pinned, it is recorded like any other clip, and stays masked.')],
      sample: [],
      yes: t('Pin it'),
      no: t('Leave it'),
    });
}

/** Without what is not said. */
const given = <T extends object>(one: T): Partial<T> => Object.fromEntries(Object.entries(one).filter(([, value]) => value !== null && value !== undefined && value !== '' && value !== false)) as Partial<T>;
