/**
 * The marks on the drawing. Shape first, colour second; they keep their size on screen at any zoom.
 *   loose end: an open crescent facing away from the line    gap: a dotted arc between two diamonds
 *   tail: a zigzag over the stretch                            seam: a fine dotted line with small ticks
 *   unpainted: sparse diagonal hatching                        two paints: a half-filled disc
 *   sliver: a small triangle with a dot                        leak: a trail of dots from inside to outside
 */
import type { Finding } from '../types/Finding';
import type { Kind } from '../types/Kind';
import type { Pt } from '../types/Pt';
import type { Box } from '../geometry/box';
import type { Camera } from '../geometry/camera.svelte';

export interface Colours {
    gap: string;
    tail: string;
    end: string;
    leak: string;
    seam: string;
    line: string;
    paper: string;
}

type G = CanvasRenderingContext2D;

/** A path through points, added to the one in hand. */
export function along(g: G, path: Pt[]) {
    path.forEach(([x, y], i) => (i ? g.lineTo(x, y) : g.moveTo(x, y)));
}

/** Strokes the path in hand wide in one colour, then narrower in another. */
function stroked(g: G, [wide, under]: [number, string], [narrow, over]: [number, string]) {
    g.strokeStyle = under;
    g.lineWidth = wide;
    g.stroke();
    g.strokeStyle = over;
    g.lineWidth = narrow;
    g.stroke();
}

function diamond(g: G, [x, y]: Pt, r: number) {
    along(g, [
        [x, y - r],
        [x + r, y],
        [x, y + r],
        [x - r, y],
    ]);
    g.closePath();
}

/** Pushes the two diamonds apart so that a short gap's can be told from one another. */
function apart(a: Pt, b: Pt, least: number): [Pt, Pt] {
    const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
    const d = Math.hypot(dx, dy) || 1;
    const push = Math.max(0, least - d) / 2;
    return [
        [a[0] - (dx / d) * push, a[1] - (dy / d) * push],
        [b[0] + (dx / d) * push, b[1] + (dy / d) * push],
    ];
}

/** All of a kind are drawn in a few strokes: thousands of small ones are what takes time. */
function gaps(g: G, camera: Camera, list: Finding[], c: Colours) {
    const ends = list.map((f) => apart(camera.toScreen(f.at), camera.toScreen(f.to ?? f.at), 18));
    g.beginPath();
    list.forEach((f, i) => {
        const [p, q] = ends[i]!;
        along(g, [p, ...f.path.slice(1, -1).map((p) => camera.toScreen(p)), q]);
    });
    g.lineCap = 'round';
    g.setLineDash([0.1, 7]);
    stroked(g, [5, c.line], [3.5, c.gap]);
    g.setLineDash([]);
    g.beginPath();
    for (const pair of ends) for (const p of pair) diamond(g, p, 6);
    g.fillStyle = c.gap;
    g.fill();
    g.lineWidth = 1.5;
    g.strokeStyle = c.line;
    g.stroke();
}

function tails(g: G, camera: Camera, list: Finding[], c: Colours) {
    g.beginPath();
    for (const f of list) {
        const from = camera.toScreen(f.at);
        const tip = camera.toScreen(f.to ?? f.at);
        const [dx, dy] = [tip[0] - from[0], tip[1] - from[1]];
        const d = Math.hypot(dx, dy) || 1;
        const len = Math.max(d, 20);
        const [ux, uy] = [dx / d, dy / d];
        const n = Math.max(4, Math.round(len / 5));
        const path: Pt[] = [];
        for (let i = 0; i <= n; i++) {
            const s = (len * i) / n;
            const side = i === 0 || i === n ? 0 : i % 2 ? 5 : -5;
            path.push([from[0] + ux * s - uy * side, from[1] + uy * s + ux * side]);
        }
        along(g, path);
    }
    g.lineJoin = 'round';
    stroked(g, [5, c.paper], [2.5, c.tail]);
}

function crescents(g: G, camera: Camera, list: Finding[], c: Colours) {
    const from = -Math.PI * 0.15;
    g.beginPath();
    for (const f of list) {
        const [x, y] = camera.toScreen(f.at);
        g.moveTo(x + 8 * Math.cos(from), y + 8 * Math.sin(from));
        g.arc(x, y, 8, from, Math.PI * 1.45);
    }
    stroked(g, [5.5, c.paper], [3, c.end]);
}

/** Dots that grow on the way out, through the middle of the opening. */
function leaks(g: G, camera: Camera, list: Finding[], c: Colours) {
    for (const [grown, colour] of [
        [1.8, c.paper],
        [0, c.leak],
    ] as const) {
        g.beginPath();
        for (const f of list) {
            const [first, middle, last] = [f.path[0] ?? f.at, f.path[1] ?? f.at, f.path[2] ?? f.at];
            const [x, y] = camera.toScreen(middle);
            const [dx, dy] = camera.wayOnScreen([last[0] - first[0], last[1] - first[1]]);
            const d = Math.hypot(dx, dy) || 1;
            for (let k = -2; k <= 2; k++) {
                const [px, py] = [x + (dx / d) * k * 9, y + (dy / d) * k * 9];
                const r = 3.1 + 0.6 * k + grown;
                g.moveTo(px + r, py);
                g.arc(px, py, r, 0, 7);
            }
        }
        g.fillStyle = colour;
        g.fill();
    }
}

function sliver(g: G, [x, y]: Pt, c: Colours) {
    g.beginPath();
    g.moveTo(x, y - 9);
    g.lineTo(x + 8, y + 6);
    g.lineTo(x - 8, y + 6);
    g.closePath();
    g.fillStyle = c.paper;
    g.fill();
    g.strokeStyle = c.end;
    g.lineWidth = 2.5;
    g.stroke();
    g.beginPath();
    g.arc(x, y + 1, 2, 0, 7);
    g.fillStyle = c.end;
    g.fill();
}

function halves(g: G, [x, y]: Pt, c: Colours) {
    g.beginPath();
    g.arc(x, y, 9, 0, 7);
    g.fillStyle = c.paper;
    g.fill();
    g.strokeStyle = c.tail;
    g.lineWidth = 2.5;
    g.stroke();
    g.beginPath();
    g.arc(x, y, 9, -Math.PI / 2, Math.PI / 2);
    g.fillStyle = c.tail;
    g.fill();
}

/** Carried, and to be looked at: a question in a round tab. */
function question(g: G, [x, y]: Pt, c: Colours) {
    g.beginPath();
    g.arc(x, y, 10, 0, 7);
    stroked(g, [4, c.paper], [2, c.line]);
    g.fillStyle = c.paper;
    g.fill();
    g.fillStyle = c.line;
    g.textAlign = 'center';
    g.textBaseline = 'middle';
    g.font = '700 14px "Atkinson Hyperlegible Next Variable"';
    g.fillText('?', x, y + 0.5);
}

/** Unlike its counterpart: two bars, one whole and one open. */
function bars(g: G, [x, y]: Pt, c: Colours) {
    g.fillStyle = c.paper;
    g.strokeStyle = c.tail;
    g.lineWidth = 2.5;
    g.fillRect(x - 11, y - 9, 22, 18);
    g.strokeRect(x - 9, y - 6, 18, 4.5);
    g.fillStyle = c.tail;
    g.fillRect(x - 10, y + 2, 20, 5);
}

/** Draws the marks of findings, that of the one in hand last and with a ring around it. */
export function marks(g: G, camera: Camera, list: Finding[], c: Colours, current: Finding | null) {
    const rest = list.filter((f) => f !== current);
    for (const left of [true, false]) {
        const shown = rest.filter((f) => f.left === left);
        g.save();
        g.globalAlpha = left ? 0.45 : 1;
        drawAll(g, camera, shown, c);
        g.restore();
    }
    if (!current) return;
    g.save();
    drawAll(g, camera, [current], c);
    if (current.kind !== 'unpainted') {
        const at = camera.toScreen(current.at);
        const to = camera.toScreen(current.to ?? current.at);
        const [mx, my] = [(at[0] + to[0]) / 2, (at[1] + to[1]) / 2];
        const r = Math.max(34, Math.hypot(to[0] - at[0], to[1] - at[1]) / 2 + 24);
        g.beginPath();
        g.arc(mx, my, r, 0, 7);
        stroked(g, [4, c.paper], [2, c.line]);
    }
    g.restore();
}

function drawAll(g: G, camera: Camera, list: Finding[], c: Colours) {
    const of = (kind: Kind) => list.filter((f) => f.kind === kind);
    gaps(g, camera, of('gap'), c);
    tails(g, camera, of('tail'), c);
    crescents(g, camera, of('loose_end'), c);
    leaks(g, camera, of('leak'), c);
    of('sliver').forEach((f) => sliver(g, camera.toScreen(f.at), c));
    of('two_paints').forEach((f) => halves(g, camera.toScreen(f.at), c));
    of('doubtful').forEach((f) => question(g, camera.toScreen(f.at), c));
    of('unlike').forEach((f) => bars(g, camera.toScreen(f.at), c));
}

/** How near a pointer is to a mark, in screen pixels. */
export function markDistance(camera: Camera, f: Finding, p: Pt): number {
    const at = camera.toScreen(f.at);
    const to = f.to ? camera.toScreen(f.to) : at;
    const middle: Pt = [(at[0] + to[0]) / 2, (at[1] + to[1]) / 2];
    return Math.min(...[at, to, middle].map((q) => Math.hypot(q[0] - p[0], q[1] - p[1])));
}

/** The side of the parts of the canvas that findings are counted in, screen pixels. */
export const COUNT_CELL = 110;

/** Far out, marks fade into counts: one for each part of the canvas. */
export class Counts {
    #groups = new Map<number, { n: number; x: number; y: number }>();

    static #key(column: number, row: number) {
        return column * 65536 + row;
    }

    /** The parts that a box of the canvas touches, as a box. */
    static around([left, top, right, low]: Box): Box {
        const [from, to] = [(v: number) => Math.floor(v / COUNT_CELL), (v: number) => Math.floor(v / COUNT_CELL) + 1];
        return [from(left) * COUNT_CELL, from(top) * COUNT_CELL, to(right) * COUNT_CELL, to(low) * COUNT_CELL];
    }

    /** Counts anew in a box of whole parts; `list` holds all that is in there. */
    recount(camera: Camera, [left, top, right, low]: Box, list: Finding[]) {
        const cell = (v: number) => Math.floor(v / COUNT_CELL);
        for (let row = cell(top); row < cell(low); row++) {
            for (let column = cell(left); column < cell(right); column++) this.#groups.delete(Counts.#key(column, row));
        }
        for (const f of list) {
            const [x, y] = camera.toScreen(f.at);
            if (x < left || x >= right || y < top || y >= low) continue;
            const key = Counts.#key(cell(x), cell(y));
            const had = this.#groups.get(key);
            if (had) {
                had.n++;
                had.x += x;
                had.y += y;
            } else this.#groups.set(key, { n: 1, x, y });
        }
    }

    clear() {
        this.#groups.clear();
    }

    draw(g: G, c: Colours) {
        g.textAlign = 'center';
        g.textBaseline = 'middle';
        g.font = '600 12px "Atkinson Hyperlegible Next Variable"';
        for (const { n, x, y } of this.#groups.values()) {
            g.beginPath();
            g.arc(x / n, y / n, 12, 0, 7);
            g.fillStyle = c.line;
            g.fill();
            g.fillStyle = c.paper;
            g.fillText(String(n), x / n, y / n + 0.5);
        }
    }
}

/** Sparse diagonal hatching, in screen pixels. */
export function hatching(colour: string): CanvasPattern | null {
    const tile = document.createElement('canvas');
    tile.width = tile.height = 14;
    const g = tile.getContext('2d');
    if (!g) return null;
    g.strokeStyle = colour;
    g.lineWidth = 1.4;
    g.beginPath();
    for (const d of [-14, 0, 14]) {
        g.moveTo(d - 2, 16);
        g.lineTo(d + 16, -2);
    }
    g.stroke();
    return g.createPattern(tile, 'repeat');
}

/** A seam: fine dots with small ticks across. */
export function seam(g: G, camera: Camera, ratio: number, path: Path2D, c: Colours) {
    g.save();
    camera.onto(g, ratio);
    const s = 1 / camera.scale;
    g.lineCap = 'butt';
    g.strokeStyle = c.seam;
    g.setLineDash([1.4 * s, 12.6 * s]);
    g.lineWidth = 9 * s;
    g.stroke(path);
    g.lineCap = 'round';
    g.setLineDash([0.1 * s, 4.5 * s]);
    g.lineWidth = 2.6 * s;
    g.stroke(path);
    g.restore();
}

export const KIND_NAMES: Record<Kind, [string, string]> = {
    gap: ['Gap', 'Gaps'],
    tail: ['Tail', 'Tails'],
    leak: ['Leak', 'Leaks'],
    loose_end: ['Loose end', 'Ends'],
    sliver: ['Sliver', 'Slivers'],
    unpainted: ['Unpainted', 'Unpainted'],
    two_paints: ['Two paints', 'Two paints'],
    doubtful: ['Doubtful', 'Doubtful'],
    unlike: ['Unlike', 'Unlike'],
};
