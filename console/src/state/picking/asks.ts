// What a person can ask of the picker, and what that asks of the service: the shapes of `crates/core/src/picker`.
export type View = 'history' | 'favorites' | 'drawers';

export type Ask =
  | { ask: 'type' | 'write' | 'take-clip' | 'mark-clip'; with: string }
  | { ask: 'see'; with: View }
  | { ask: 'move' | 'page' | 'take-row' | 'scroll'; with: number }
  | {
      ask:
        | 'erase-letter'
        | 'erase-word'
        | 'erase-all'
        | 'first'
        | 'last'
        | 'take'
        | 'take-otherwise'
        | 'take-plain'
        | 'tidy'
        | 'edit'
        | 'pin'
        | 'gather'
        | 'hand-out'
        | 'remove'
        | 'clear'
        | 'pause'
        | 'undo'
        | 'favorites'
        | 'whole'
        | 'stay'
        | 'leave'
        | 'close';
    };

/** What is to be listed. */
export interface Wanted {
  number: number;
  view: View;
  query: string;
  rows: number;
}

/** What the service is to do. */
export type Wish =
  | { do: 'list'; with: Wanted }
  | { do: 'take'; with: { id: string; paste: boolean; plain: boolean; tidy: string[]; close: boolean } }
  | { do: 'pin' | 'gather' | 'remove' | 'whole' | 'edit'; with: string }
  | { do: 'hand-out'; with: { paste: boolean; close: boolean } }
  | { do: 'preview'; with: { id: string; tidy: string[] } }
  | { do: 'clear'; with: { query: string } }
  | { do: 'pause' | 'undo' | 'close' };
