/** What the touch-up brush paints. */
import type { Effect } from '../types/Effect';
import type { Pt } from '../types/Pt';
import { along } from './marks';

type G = CanvasRenderingContext2D;

export const EFFECT_COLOURS: Record<Effect, string> = {
    more: '#2f5d50',
    less: '#a5602a',
    none: '#3a5f9a',
    erase: '#cb4b36',
    weight: '#6a4a80',
};

export interface Brush {
    size: number;
    hardness: number;
    strength: number;
}

/** A stroke of the brush, its fall-off in a few steps. */
export function brushed(g: G, path: Pt[], brush: Brush) {
    const steps = brush.hardness > 0.9 ? 1 : 4;
    g.lineCap = 'round';
    g.lineJoin = 'round';
    for (let i = 0; i < steps; i++) {
        const share = steps === 1 ? 1 : brush.hardness + (1 - brush.hardness) * (1 - (i + 0.5) / steps);
        g.globalAlpha = brush.strength / steps;
        g.lineWidth = Math.max(1, brush.size * share);
        g.beginPath();
        along(g, path);
        if (path.length === 1 && path[0]) g.lineTo(path[0][0] + 0.01, path[0][1]);
        g.stroke();
    }
    g.globalAlpha = 1;
}
