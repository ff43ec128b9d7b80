// How everything looks in the console: as the settings say.
import type { Sizes } from './layout';
import { PICTURE_ROW, ROW } from './layout';

/** What the settings say. */
export interface Look {
  hours: '24' | '12';
  density: 'normal' | 'dense';
  previews: 'small' | 'medium' | 'large';
}

/** A row of one line, in pixels where a rem has 16. */
export const DENSE_ROW = 36;
/** How tall pictures are in a list, likewise. */
const TALL = { small: 44, medium: 86, large: 168 };

export const look = $state<Look>({ hours: '24', density: 'normal', previews: 'medium' });

/** How tall pictures are in a list. */
export const tall = (): number => TALL[look.previews];

/** How tall rows are. */
export const sizes = (): Sizes => ({ row: look.density === 'dense' ? DENSE_ROW : ROW, picture: PICTURE_ROW - TALL.medium + tall() });
