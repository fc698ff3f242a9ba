/** The pen in hand at Draw: kept with the page, so that it is the same tomorrow. */
import type { Follows } from '../types/Follows';
import type { Inked } from '../types/Inked';
import type { Pen } from '../types/Pen';

const KEPT_AS = 'pen';

const USUAL = {
    /** The greatest width, mm. */
    width: 0.6,
    steadying: 0.35,
    by: 'pressure' as Follows['by'],
    /** The share of the width at its thinnest. */
    least: 0.15,
    bend: 1.5,
    tilt: 0,
    /** `null`: the ink's colour. */
    swatch: null as string | null,
    under: false,
    /** Strokes of one colour become one shape where they lie on one another. */
    fuse: false,
    /** What rectangles and ellipses are drawn as. */
    shapes: 'line' as Inked,
};

function kept(): Partial<typeof USUAL> {
    try {
        const was: unknown = JSON.parse(localStorage.getItem(KEPT_AS) ?? '{}');
        return typeof was === 'object' && was !== null ? was : {};
    } catch {
        return {};
    }
}

class PenInHand {
    settings = $state({ ...USUAL, ...kept() });

    keep() {
        localStorage.setItem(KEPT_AS, JSON.stringify(this.settings));
    }

    set(change: Partial<typeof USUAL>) {
        Object.assign(this.settings, change);
        this.keep();
    }

    get follows(): Follows {
        const { by, least, bend } = this.settings;
        if (by === 'pressure') return { by, least, bend };
        return by === 'speed' ? { by, least } : { by };
    }

    /** As it draws on a sheet of a resolution that is seen at a scale. */
    on(dpi: number, scale: number): Pen {
        const { width, steadying, tilt } = this.settings;
        return { width: (width / 25.4) * dpi, steadying, follows: this.follows, tilt, grain: 1 / scale };
    }
}

export const pen = new PenInHand();
