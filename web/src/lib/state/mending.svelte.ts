/** How lines are mended at Draw: kept with the page. */
import type { Gives } from '../types/Gives';
import type { Takes } from '../types/Takes';
import { KeptWithPage } from './with_page.svelte';

const USUAL = {
    gives: 'both' as Gives,
    /** How far around the pointer a rub works, mm, and how much a pass does. */
    radius: 1.5,
    strength: 1,
    /** Rubbing presses lines thinner, not thicker. */
    thinner: false,
    /** How much of a line is bent along, mm. */
    reach: 12,
    /** The eraser's width, mm, and what it takes. */
    eraser: 2,
    takes: 'exactly' as Takes,
    /** The eraser is as wide as the pen is pressed. */
    pressed: false,
    /** How far off another line's ink a line ends along it, mm. */
    gap: 0.4,
};

export const mending = new KeptWithPage('mending', USUAL);
