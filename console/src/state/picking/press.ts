// What a command asks of the picker.
import type { Command } from '../keys.svelte';
import type { Ask } from './asks';

const ASKS: Partial<Record<Command, Ask>> = {
  next: { ask: 'move', with: 1 },
  previous: { ask: 'move', with: -1 },
  pageDown: { ask: 'page', with: 1 },
  pageUp: { ask: 'page', with: -1 },
  pickFirst: { ask: 'first' },
  pickLast: { ask: 'last' },
  pickTake: { ask: 'take' },
  pickOther: { ask: 'take-otherwise' },
  pickPlain: { ask: 'take-plain' },
  pickChoose: { ask: 'type', with: ' ' },
  pickTidy: { ask: 'tidy' },
  pickEdit: { ask: 'edit' },
  pickPin: { ask: 'pin' },
  pickGather: { ask: 'gather' },
  pickNext: { ask: 'hand-out' },
  pickRemove: { ask: 'remove' },
  pickClear: { ask: 'clear' },
  pickPause: { ask: 'pause' },
  pickUndo: { ask: 'undo' },
  pickFavorites: { ask: 'favorites' },
  pickWhole: { ask: 'whole' },
  pickStay: { ask: 'stay' },
  leave: { ask: 'leave' },
};

/** `digit`: of a command that is about a row. */
export const askOf = (command: Command, digit: number): Ask | null => (command === 'pickRow' ? { ask: 'take-row', with: digit } : (ASKS[command] ?? null));
