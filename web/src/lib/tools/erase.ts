/** Ink erased: exactly what is passed over, up to the next crossings, or whole lines. */
import EraserIcon from '@lucide/svelte/icons/eraser';
import { inkedPath } from '../drawn/inked';
import { shaped } from '../geometry/stroke';
import { bench } from '../state/bench.svelte';
import { held } from '../state/held.svelte';
import { mending } from '../state/mending.svelte';
import { pen } from '../state/pen.svelte';
import { sheet } from '../state/sheet.svelte';
import type { Pen } from '../types/Pen';
import { straight } from './ink';
import { drawRing } from './ring';
import type { InHand, Stroke, Tool } from './tool';

/** The eraser as a pen: as wide as it is set, or as it is pressed. */
function eraser(): Pen {
    const { eraser, pressed } = mending.settings;
    const dpi = sheet.view?.dpi ?? 300;
    return {
        ...pen.on(dpi, bench.camera.scale),
        width: (eraser / 25.4) * dpi,
        steadying: 0,
        follows: pressed ? { by: 'pressure', least: 0.15, bend: pen.settings.bend } : { by: 'steady' },
        tilt: 0,
    };
}

const use = ({ samples }: Stroke) =>
    sheet.do({ of: 'mend', do: 'erase', samples, pen: eraser(), takes: mending.settings.takes, lines: held.ids });

function draw(hand: InHand) {
    const { g, camera, samples } = hand;
    if (samples.length > 0) {
        const way = inkedPath(shaped(samples, eraser()), (x, y) => camera.toScreen([x, y]), camera.scale);
        g.save();
        g.globalAlpha = 0.75;
        g.fillStyle = '#fffdf7';
        g.fill(way);
        g.globalAlpha = 0.25;
        g.fillStyle = '#CB4B36';
        g.fill(way);
        g.restore();
    }
    drawRing(hand, (eraser().width * camera.scale) / 2);
}

export const erase: Tool = {
    id: 'erase',
    name: 'Erase',
    help: 'Takes off exactly what you pass over; of the lines in hand only, if there are some',
    icon: EraserIcon,
    cursor: 'crosshair',
    held: straight,
    straightens: true,
    follows: true,
    use,
    draw,
    drawsOn: () => ({ around: (eraser().width * bench.camera.scale) / 2 + 4 }),
};
