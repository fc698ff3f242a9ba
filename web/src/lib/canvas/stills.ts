/** Stills on the canvas: a drawing in the place of the one in hand, or faintly with it in a tint. */
import { lightTable, TINTS } from '../state/lightTable.svelte';
import { sheet } from '../state/sheet.svelte';
import { stills, type Unpacked } from '../state/stills.svelte';
import type { DrawingInfo } from '../types/DrawingInfo';

type G = CanvasRenderingContext2D;

/** How large it lies on a sheet of a resolution. */
function size({ facts, ink }: Unpacked, dpi: number): [number, number] {
    const each = (dpi / facts.dpi) * 2 ** facts.level;
    return [ink.width * each, ink.height * each];
}

/** Draws a drawing in the place of one of a resolution; gives whether it is there. */
export function drawStill(g: G, drawing: DrawingInfo, shows: 'both' | 'ink' | 'paint', dpi: number): boolean {
    const still = stills.of(drawing);
    if (!still) return false;
    const [width, height] = size(still, dpi);
    if (shows !== 'ink') {
        g.imageSmoothingEnabled = false;
        g.drawImage(still.paint, 0, 0, width, height);
        g.imageSmoothingEnabled = true;
    }
    if (shows !== 'paint') g.drawImage(still.ink, 0, 0, width, height);
    return true;
}

/** Inks in a tint, by the name of their still. */
const tinted = new Map<string, OffscreenCanvas>();
const MOST_TINTED = 12;

function inTint(still: Unpacked, tint: string): OffscreenCanvas {
    const name = `${still.name} ${tint}`;
    let made = tinted.get(name);
    if (made) tinted.delete(name);
    else {
        made = new OffscreenCanvas(still.ink.width, still.ink.height);
        const g = made.getContext('2d');
        if (g) {
            g.drawImage(still.ink, 0, 0);
            g.globalCompositeOperation = 'source-in';
            g.fillStyle = tint;
            g.fillRect(0, 0, made.width, made.height);
        }
    }
    tinted.set(name, made);
    const [oldest] = tinted.keys();
    if (tinted.size > MOST_TINTED && oldest !== undefined) tinted.delete(oldest);
    return made;
}

/** Draws the neighbours on the light table, each in the tint of its side. */
export function drawNeighbours(g: G) {
    const [x, y] = lightTable.shift;
    for (const { drawing, off, side } of lightTable.neighbours) {
        const still = stills.of(drawing);
        if (!still) continue;
        const [width, height] = size(still, sheet.view?.dpi ?? still.facts.dpi);
        g.globalAlpha = lightTable.strength(off);
        g.drawImage(inTint(still, TINTS[side]), -x, -y, width, height);
    }
    g.globalAlpha = 1;
}
