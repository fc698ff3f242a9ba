/** A stretch of a line drawn anew, by a stroke over it. */
import PencilLine from '@lucide/svelte/icons/pencil-line';
import { inkedPath } from '../drawn/inked';
import { lineAt } from '../drawn/under';
import { pathOf } from '../drawn/paths';
import { shaped } from '../geometry/stroke';
import { bench } from '../state/bench.svelte';
import { held } from '../state/held.svelte';
import { mending } from '../state/mending.svelte';
import { sheet } from '../state/sheet.svelte';
import type { LineView } from '../types/LineView';
import type { Pt } from '../types/Pt';
import { drawMeeting } from '../drawn/meeting';
import { inkColour, penNow, straight } from './ink';
import type { InHand, Stroke, Tool } from './tool';

/** How near a stroke must begin or end to a line's ink to redraw it, px of the screen: as the server has it. */
const NEAR = 14;

/** The line that a stroke from a place would redraw: of those in hand, if any are. */
function meantAt(p: Pt): LineView | undefined {
    const ids = new Set(held.ids);
    const meant = (l: LineView) => ids.size === 0 || ids.has(l.id);
    const near = NEAR / bench.camera.scale;
    return lineAt(p, near, meant) ?? lineAt(p, near + 12, (l) => meant(l) && l.width > 2 * near);
}

const use = ({ samples, still }: Stroke) =>
    still
        ? undefined
        : sheet.do({
              of: 'mend',
              do: 'redraw',
              samples,
              pen: penNow(),
              gives: mending.settings.gives,
              lines: held.ids,
          });

function draw({ g, camera, samples, stroke, hover, onSheet }: InHand) {
    const places = stroke.length > 0 ? [stroke[0]!, stroke[stroke.length - 1]!] : hover ? [camera.toSheet(hover)] : [];
    const lines = places.map(meantAt).filter((l) => l !== undefined);
    // The line that is meant, before it is redrawn.
    onSheet(() => {
        g.strokeStyle = '#de9f27';
        g.globalAlpha = 0.85;
        g.lineWidth = 2 / camera.scale;
        for (const line of lines.slice(0, 1)) g.stroke(pathOf(line));
    });
    if (samples.length > 0) {
        g.save();
        g.globalAlpha = 0.8;
        g.fillStyle = inkColour();
        g.fill(inkedPath(shaped(samples, penNow()), (x, y) => camera.toScreen([x, y]), camera.scale));
        g.restore();
    }
    for (const p of places) if (meantAt(p)) drawMeeting(g, { at: p, of: ['line'], ends: [] });
}

export const redraw: Tool = {
    id: 'redraw',
    name: 'Redraw',
    help: 'Draw over a stretch of a line: it goes where you draw, and goes on smoothly at both ends',
    icon: PencilLine,
    cursor: 'crosshair',
    held: straight,
    straightens: true,
    follows: true,
    use,
    draw,
    drawsOn: () => 'all',
    always: () => true,
};
