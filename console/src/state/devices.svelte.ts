// A person's own devices: who belongs, how the exchange stands, pairing.
import type { AllDevices, AllPhones, Device, Pairing, PhoneLink, SignedInBrowser } from '../api/types';
import type { Service } from '../border/service';
import type { Messages } from './messages.svelte';
import type { Questions } from './questions.svelte';
import { t } from '../language/language.svelte';

export class Devices {
  all = $state.raw<AllDevices | null>(null);
  pairing = $state.raw<Pairing | null>(null);
  /** Why nothing can be shown. */
  failure = $state<string | null>(null);
  /** Something is being asked of the service. */
  busy = $state(false);
  /** The answer that was given to the device that asks, until it is another one. */
  #answered: string | null = null;

  constructor(
    private service: Service,
    private messages: Messages,
    private questions: Questions,
  ) {}

  /** A device asks to be let in, and has not been answered. */
  get asks(): string | null {
    const { pairing } = this;
    return pairing?.state === 'asks' && this.#answered !== (pairing.device ?? '') ? (pairing.device ?? '') : null;
  }

  /** Those that something can be sent to. */
  get others(): Device[] {
    return this.all?.devices.filter((one) => !one.this) ?? [];
  }

  /** Sends a clip to one device. True when it is on its way. */
  send = async (id: string, device: Device): Promise<boolean> => {
    try {
      const { to } = await this.service.sendClip(id, device.id);
      this.messages.tell(t('On its way to {to}.', { to }));
      return true;
    } catch (why) {
      this.messages.fail(why);
      return false;
    }
  };

  /** Phones, where that could be read. */
  phones = $state.raw<AllPhones | null>(null);
  /** What lets a phone in, while it is shown. */
  phoneLink = $state.raw<PhoneLink | null>(null);

  async loadPhones(): Promise<void> {
    this.phones = await this.service.phones().catch(() => this.phones);
  }

  async letPhoneIn(): Promise<void> {
    await this.#do(async () => (this.phoneLink = await this.service.newPhone()));
  }

  async closePhoneLink(): Promise<void> {
    this.phoneLink = null;
    await this.loadPhones();
  }

  async endPhone(phone: SignedInBrowser): Promise<void> {
    await this.#do(() => this.service.endBrowser(phone.id), t('{name} is signed out, and sees nothing any more.', { name: phone.name }));
    await this.loadPhones();
  }

  async load(): Promise<void> {
    try {
      [this.all, this.pairing] = await Promise.all([this.service.devices(), this.service.pairing()]);
      if (this.pairing.state !== 'asks') this.#answered = null;
      this.failure = null;
    } catch (why) {
      this.failure = why instanceof Error ? why.message : String(why);
    }
  }

  async #do(what: () => Promise<unknown>, words?: string): Promise<boolean> {
    this.busy = true;
    try {
      await what();
      if (words) this.messages.tell(words);
      return true;
    } catch (why) {
      this.messages.fail(why);
      return false;
    } finally {
      this.busy = false;
      await this.load();
    }
  }

  showCode = (hub: string, invitation: string, name: string): Promise<boolean> => this.#do(() => this.service.showCode({ ...said({ hub, invitation, name }) }));
  typeCode = (hub: string, code: string, name: string): Promise<boolean> => this.#do(() => this.service.typeCode({ hub, code, ...said({ name }) }));
  typePhrase = (hub: string, phrase: string, name: string): Promise<boolean> => this.#do(() => this.service.typePhrase({ hub, phrase, ...said({ name }) }));
  callOff = (): Promise<boolean> => this.#do(() => this.service.callOffPairing());
  now = (): Promise<boolean> => this.#do(() => this.service.exchangeNow());
  pause = (paused: boolean): Promise<boolean> => this.#do(() => this.service.pauseExchange(paused), paused ? t('Nothing is exchanged until you go on.') : t('The exchange goes on.'));

  /** Says whether the device that asks is let in. */
  answer(yes: boolean): Promise<boolean> {
    this.#answered = this.pairing?.device ?? '';
    return this.#do(() => this.service.letIn(yes));
  }

  async strikeOff(device: Device): Promise<void> {
    const yes = await this.questions.ask({
      title: t('Strike {name} off?', { name: device.name }),
      lines: [t('It can neither read nor write any more. Those who stay have a new key.'), t('It keeps what it has.')],
      sample: [],
      yes: t('Strike {name} off', { name: device.name }),
      no: t('It stays'),
    });
    if (yes) await this.#do(() => this.service.strikeOff(device.id), t('{name} is struck off.', { name: device.name }));
  }

  async leave(): Promise<void> {
    const yes = await this.questions.ask({
      title: t('Leave the group?'),
      lines: [t('This device keeps what it has, and exchanges nothing any more.')],
      sample: [],
      yes: t('Leave'),
      no: t('Stay'),
    });
    if (yes) await this.#do(() => this.service.leaveGroup(), t('This device belongs to no group any more.'));
  }
}

/** What was typed, without what was not. */
const said = (fields: Record<string, string>): Record<string, string> => Object.fromEntries(Object.entries(fields).flatMap(([name, text]) => (text.trim() ? [[name, text.trim()]] : [])));
