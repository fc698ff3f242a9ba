/** The pen in hand at Draw: kept with the page, so that it is the same tomorrow. */
import type { Follows } from '../types/Follows';
import type { Inked } from '../types/Inked';
import type { Pen } from '../types/Pen';
import { KeptWithPage } from './with_page.svelte';

/** As long as no stroke is held still, s. */
export const NEVER = 2;

const USUAL = {
    /** The greatest width, mm. */
    width: 0.6,
    steadying: 0.35,
    by: 'pressure' as Follows['by'],
    /** The share of the width at its thinnest. */
    least: 0.15,
    bend: 1.5,
    tilt: 0,
    /** How long a stroke is held still until it is straight, s; from `NEVER` on it stays as drawn. */
    straightAfter: 0.6,
    /** `null`: the ink's colour. */
    swatch: null as string | null,
    under: false,
    /** Strokes of one colour become one shape where they lie on one another. */
    fuse: false,
    /** What rectangles and ellipses are drawn as. */
    shapes: 'line' as Inked,
};

class PenInHand extends KeptWithPage<typeof USUAL> {
    get follows(): Follows {
        const { by, least, bend } = this.settings;
        if (by === 'pressure') return { by, least, bend };
        return by === 'speed' ? { by, least } : { by };
    }

    /** How long a stroke is held still until it is straight, ms. */
    get straightens() {
        const { straightAfter } = this.settings;
        return straightAfter < NEVER ? 1000 * straightAfter : Infinity;
    }

    /** As it draws on a sheet of a resolution that is seen at a scale. */
    on(dpi: number, scale: number): Pen {
        const { width, steadying, tilt } = this.settings;
        return { width: (width / 25.4) * dpi, steadying, follows: this.follows, tilt, grain: 1 / scale };
    }
}

export const pen = new PenInHand('pen', USUAL);
