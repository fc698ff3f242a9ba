/**
 * What lies over the picture at a station: painted areas, lost lines and pencil, the middles of a trace, the way of a
 * leak.
 */
import type { ByHand } from '../types/ByHand';
import type { Effect } from '../types/Effect';
import type { Leak } from '../types/Leak';
import type { Pt } from '../types/Pt';
import type { Camera } from '../geometry/camera.svelte';
import { brushed, EFFECT_COLOURS } from './brushed';
import { along } from './marks';

type G = CanvasRenderingContext2D;

/** The painted areas of some effects, see-through, in the colour of each. `place` puts the context on the sheet. */
export function areas(g: G, place: (g: G) => void, byHand: ByHand, effects: Effect[], size: [number, number]) {
    for (const effect of effects) {
        const strokes = byHand.touches.filter((t) => t.effect === effect);
        const inverted = byHand.inverted.includes(effect);
        if (strokes.length === 0 && !inverted) continue;
        const layer = document.createElement('canvas');
        layer.width = g.canvas.width;
        layer.height = g.canvas.height;
        const l = layer.getContext('2d');
        if (!l) return;
        place(l);
        l.strokeStyle = l.fillStyle = EFFECT_COLOURS[effect];
        if (inverted) l.fillRect(0, 0, ...size);
        for (const t of strokes) {
            l.globalCompositeOperation = t.takes_off !== inverted ? 'destination-out' : 'source-over';
            brushed(l, t.path, t);
        }
        g.save();
        g.setTransform(1, 0, 0, 1, 0, 0);
        g.globalAlpha = 0.38;
        g.drawImage(layer, 0, 0);
        g.restore();
    }
}

/** Where thin lines are lost: small open squares; where pencil is left: rings. */
export function tradeMarks(g: G, camera: Camera, lost: Pt[], left: Pt[]) {
    g.save();
    const seen = ([x, y]: Pt) => x > -9 && y > -9 && x < camera.width + 9 && y < camera.height + 9;
    for (const [points, colour, shape] of [
        [lost, '#cb4b36', 'square'],
        [left, '#2f6fb0', 'ring'],
    ] as const) {
        for (const p of points) {
            const [x, y] = camera.toScreen(p);
            if (!seen([x, y])) continue;
            for (const [stroke, width] of [
                ['#ffffff', 4],
                [colour, 2],
            ] as const) {
                g.strokeStyle = stroke;
                g.lineWidth = width;
                g.beginPath();
                if (shape === 'square') g.rect(x - 4, y - 4, 8, 8);
                else g.arc(x, y, 6, 0, 7);
                g.stroke();
            }
        }
    }
    g.restore();
}

/** Specks that go or pinholes that fill: dotted circles. Protected dots: a filled dot in a full circle. */
export function dots(g: G, camera: Camera, places: Pt[], kind: 'going' | 'protected') {
    g.save();
    for (const p of places) {
        const [x, y] = camera.toScreen(p);
        g.beginPath();
        g.arc(x, y, 9, 0, 7);
        if (kind === 'going') {
            g.setLineDash([2.5, 3]);
            g.strokeStyle = '#cb4b36';
            g.lineWidth = 2;
            g.stroke();
        } else {
            g.strokeStyle = '#ffffff';
            g.lineWidth = 4;
            g.stroke();
            g.strokeStyle = '#2f5d50';
            g.lineWidth = 2;
            g.stroke();
        }
    }
    g.restore();
}

/** What is in hand, lines or a region: a thin double line along it. */
export function inHand(g: G, paths: Path2D[], scale: number) {
    g.save();
    for (const path of paths) {
        for (const [width, colour] of [
            [7, '#2a2822'],
            [5, '#de9f27'],
            [2, '#2a2822'],
        ] as const) {
            g.lineWidth = width / scale;
            g.strokeStyle = colour;
            g.stroke(path);
        }
    }
    g.restore();
}

/** How far each of the two hairs of a middle lies beside it, px of the screen; where many are in view one does. */
const HAIR_ASIDE = 0.3;
const MANY_MIDDLES = 150;

/** The middles of lines as two hairs side by side: of hundreds of long curves a broader stroke takes many times as long. */
export function hairs(g: G, paths: Path2D[], scale: number, ratio: number) {
    g.save();
    g.strokeStyle = '#5E8577';
    g.globalAlpha = 0.9;
    g.lineWidth = 1 / (scale * ratio);
    const aside = HAIR_ASIDE / scale;
    for (const by of paths.length > MANY_MIDDLES ? [0] : [-aside, 2 * aside]) {
        g.translate(by, by);
        for (const path of paths) g.stroke(path);
    }
    g.restore();
}

/** The middle paths of centrelines and the edges of solid shapes, over the ink they stand for. */
export function middles(g: G, lines: { solid: boolean; path: Path2D }[], scale: number) {
    for (const { solid, path } of lines) {
        for (const [width, colour] of [
            [3.2, '#2A2822'],
            [1.4, solid ? '#F2C14E' : '#F7F2E6'],
        ] as const) {
            g.lineWidth = width / scale;
            g.strokeStyle = colour;
            g.stroke(path);
        }
    }
}

/** The way paint runs: beads along it, a ring with two jaws at the narrowest spot. */
export function leakWay(g: G, camera: Camera, leak: Leak) {
    const way = leak.path.map((p) => camera.toScreen(p));
    const [x, y] = camera.toScreen(leak.at);
    g.save();
    g.lineCap = 'round';
    g.lineJoin = 'round';
    for (const [width, colour] of [
        [9, '#F7F2E6'],
        [6, '#3B6FA5'],
    ] as const) {
        g.beginPath();
        along(g, way);
        g.strokeStyle = colour;
        g.lineWidth = width;
        g.setLineDash([0.1, 12]);
        g.stroke();
    }
    g.setLineDash([]);
    const [start] = way;
    if (start) {
        g.beginPath();
        g.arc(start[0], start[1], 7, 0, 7);
        g.fillStyle = '#3B6FA5';
        g.fill();
    }
    for (const [width, colour] of [
        [6, '#F7F2E6'],
        [3, '#CB4B36'],
    ] as const) {
        g.strokeStyle = colour;
        g.lineWidth = width;
        g.beginPath();
        g.arc(x, y, 17, 0, 7);
        for (const side of leak.sides) {
            const [sx, sy] = camera.toScreen(side);
            const d = Math.hypot(sx - x, sy - y) || 1;
            const [ux, uy] = [(sx - x) / d, (sy - y) / d];
            g.moveTo(x + ux * 17, y + uy * 17);
            g.lineTo(x + ux * 27, y + uy * 27);
        }
        g.stroke();
    }
    g.restore();
}
