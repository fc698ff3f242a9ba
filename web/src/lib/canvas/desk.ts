/** The desk, and on it the sheet with its backdrop. */
import { bench } from '../state/bench.svelte';
import { along } from '../drawn/marks';
import { boxOf } from '../geometry/box';
import type { Pt } from '../types/Pt';

type G = CanvasRenderingContext2D;

const BACKDROPS = {
    paper: '#fffdf7',
    white: '#ffffff',
    grey: '#8d8d8d',
    black: '#000000',
};

/** What the sheet casts on the desk, px of the screen. */
const SHADOW = { blur: 14, down: 3 };

/** The desk's colour in the theme it was asked for in: asking makes the page lay itself out. */
let desk = { theme: '', colour: '' };

function deskColour(g: G): string {
    if (desk.theme !== bench.theme) {
        const colour = getComputedStyle(g.canvas).getPropertyValue('--desk') || '#bdb8ad';
        desk = { theme: bench.theme, colour };
    }
    return desk.colour;
}

function checker(g: G): CanvasPattern | null {
    const tile = document.createElement('canvas');
    tile.width = tile.height = 20;
    const t = tile.getContext('2d');
    if (!t) return null;
    t.fillStyle = '#fff';
    t.fillRect(0, 0, 20, 20);
    t.fillStyle = '#dcdad4';
    t.fillRect(0, 0, 10, 10);
    t.fillRect(10, 10, 10, 10);
    return g.createPattern(tile, 'repeat');
}

function backdrop(g: G): string | CanvasPattern {
    if (bench.backdrop === 'checker') return checker(g) ?? '#fff';
    return bench.backdrop === 'colour' ? bench.anyColour : BACKDROPS[bench.backdrop];
}

export function drawDesk(g: G, width: number, height: number) {
    g.fillStyle = deskColour(g);
    g.fillRect(0, 0, width, height);
}

/** The sheet, bare, its corners where they lie on a view so large. */
export function drawSheet(g: G, corners: Pt[], width: number, height: number) {
    g.save();
    const [left, top, right, low] = boxOf(corners);
    const edge = SHADOW.blur + SHADOW.down;
    const inside = left < -edge && top < -edge && right > width + edge && low > height + edge;
    // A shadow costs the more the larger the sheet is, seen or not.
    if (!inside) [g.shadowColor, g.shadowBlur, g.shadowOffsetY] = ['#0003', SHADOW.blur, SHADOW.down];
    g.fillStyle = backdrop(g);
    g.beginPath();
    along(g, corners);
    g.fill();
    g.restore();
}
