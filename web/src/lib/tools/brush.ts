/** The touch-up brush, whatever it paints. */
import { brushed, EFFECT_COLOURS } from '../drawn/brushed';
import { bench } from '../state/bench.svelte';
import { sheet } from '../state/sheet.svelte';
import type { InHand, Stroke } from './tool';

export function paint({ path }: Stroke) {
    const effect = bench.paints;
    if (!effect) return;
    const { size, hardness, strength, takesOff } = bench.brush;
    return sheet.do({
        of: 'lift',
        do: 'touch',
        touch: { effect, path, size, hardness, strength, takes_off: takesOff },
    });
}

/** How far around the pointer the brush reaches, px of the screen. */
export const reach = () => ({ around: (bench.brush.size * bench.camera.scale) / 2 });

/** The stroke that is being painted, and the brush's rim under the pointer. */
export function drawBrush({ g, camera, stroke, hover: at }: InHand) {
    const [brush, effect] = [bench.brush, bench.paints];
    if (!effect) return;
    g.save();
    if (stroke.length > 0) {
        g.strokeStyle = EFFECT_COLOURS[effect];
        g.globalAlpha = 0.4;
        brushed(
            g,
            stroke.map((p) => camera.toScreen(p)),
            { ...brush, size: brush.size * camera.scale, strength: 0.4 * brush.strength },
        );
    }
    if (at) {
        g.globalAlpha = 1;
        for (const [colour, width] of [
            ['#ffffff', 3],
            [EFFECT_COLOURS[effect], 1.5],
        ] as const) {
            g.strokeStyle = colour;
            g.lineWidth = width;
            g.beginPath();
            g.arc(at[0], at[1], Math.max(2, (brush.size * camera.scale) / 2), 0, 7);
            g.stroke();
        }
    }
    g.restore();
}
