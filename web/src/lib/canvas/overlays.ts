/**
 * What lies over the picture while it is worked on: painted areas, corner handles, a crop, lost lines and pencil, the
 * middles of a trace, the way of a leak, a seam being drawn.
 */
import type { ByHand } from '../types/ByHand';
import type { Effect } from '../types/Effect';
import type { LandingTold } from '../types/LandingTold';
import type { Leak } from '../types/Leak';
import type { Pt } from '../types/Pt';
import type { Camera } from './camera.svelte';
import { along } from './marks';

type G = CanvasRenderingContext2D;

export const EFFECT_COLOURS: Record<Effect, string> = {
    more: '#2f5d50',
    less: '#a5602a',
    none: '#3a5f9a',
    erase: '#cb4b36',
    weight: '#6a4a80',
};

interface Brush {
    size: number;
    hardness: number;
    strength: number;
}

/** A stroke of the brush, its fall-off in a few steps. */
function brushed(g: G, path: Pt[], brush: Brush) {
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

/** The stroke that is being painted, and the brush's rim under the pointer (on the screen). */
export function brushInHand(g: G, camera: Camera, stroke: Pt[], at: Pt | null, brush: Brush, effect: Effect) {
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

/** The quadrilateral of the paper's corners with a handle at each. */
export function cornerHandles(g: G, camera: Camera, corners: Pt[]) {
    const at = corners.map((c) => camera.toScreen(c));
    g.save();
    g.beginPath();
    along(g, at);
    g.closePath();
    g.strokeStyle = '#ffffff';
    g.lineWidth = 4;
    g.stroke();
    g.strokeStyle = '#2f5d50';
    g.lineWidth = 2;
    g.stroke();
    for (const [x, y] of at) {
        g.beginPath();
        g.arc(x, y, 10, 0, 7);
        g.fillStyle = '#de9f27';
        g.fill();
        g.strokeStyle = '#2a2822';
        g.stroke();
    }
    g.restore();
}

/** A level line, two marks, or a crop while they are drawn. */
export function intakeStroke(g: G, camera: Camera, tool: 'level' | 'crop' | 'marks', from: Pt, to: Pt) {
    const [a, b] = [camera.toScreen(from), camera.toScreen(to)];
    g.save();
    if (tool === 'crop') {
        g.fillStyle = 'rgba(42, 40, 34, 0.45)';
        g.beginPath();
        g.rect(0, 0, camera.width, camera.height);
        g.rect(Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.abs(b[0] - a[0]), Math.abs(b[1] - a[1]));
        g.fill('evenodd');
        g.strokeStyle = '#de9f27';
        g.lineWidth = 2;
        g.strokeRect(a[0], a[1], b[0] - a[0], b[1] - a[1]);
    } else {
        for (const [colour, width] of [
            ['#ffffff', 4],
            ['#2f5d50', 2],
        ] as const) {
            g.strokeStyle = colour;
            g.lineWidth = width;
            g.beginPath();
            g.moveTo(...a);
            g.lineTo(...b);
            g.stroke();
        }
        for (const [x, y] of [a, b]) mark(g, x, y);
    }
    g.restore();
}

/** A mark for registering: a cross in a ring. */
function mark(g: G, x: number, y: number) {
    g.strokeStyle = '#2a2822';
    g.lineWidth = 1.5;
    g.beginPath();
    g.arc(x, y, 8, 0, 7);
    g.moveTo(x - 13, y);
    g.lineTo(x + 13, y);
    g.moveTo(x, y - 13);
    g.lineTo(x, y + 13);
    g.stroke();
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

/** What is being cut out: all within a dashed outline, washed over. */
export function cutOut(g: G, camera: Camera, outline: Pt[]) {
    g.save();
    g.beginPath();
    along(
        g,
        outline.map((p) => camera.toScreen(p)),
    );
    g.closePath();
    g.fillStyle = 'rgba(106, 74, 128, 0.16)';
    g.fill('evenodd');
    g.lineJoin = 'round';
    for (const [width, colour, dash] of [
        [4, '#F7F2E6', []],
        [2, '#6A4A80', [8, 4]],
    ] as const) {
        g.lineWidth = width;
        g.strokeStyle = colour;
        g.setLineDash([...dash]);
        g.stroke();
    }
    g.restore();
}

/** The stroke of a tool: of a sweep broad and see-through, of a seam in dots. */
export function strokeInHand(g: G, camera: Camera, stroke: Pt[], tool: string) {
    g.save();
    g.beginPath();
    along(
        g,
        stroke.map((p) => camera.toScreen(p)),
    );
    g.lineCap = 'round';
    g.lineJoin = 'round';
    if (tool === 'sweep') g.globalAlpha = 0.55;
    if (tool === 'seam') g.setLineDash([0.1, 6]);
    [g.strokeStyle, g.lineWidth] = tool === 'seam' ? ['#2F5D50', 3] : ['#6A4A80', 5];
    g.stroke();
    g.restore();
}

/** A seam as it will be when it is let go. */
export function seamToBe(g: G, path: Path2D, scale: number) {
    g.lineCap = 'round';
    for (const [width, colour] of [
        [5, '#F7F2E6'],
        [2.5, '#2F5D50'],
    ] as const) {
        g.lineWidth = width / scale;
        g.strokeStyle = colour;
        g.setLineDash(width < 4 ? [6 / scale, 4 / scale] : []);
        g.stroke(path);
    }
    g.setLineDash([]);
}

/** Where a seam's ends land: a full dot on a line, a hollow one where there is none to reach. */
export function landings(g: G, camera: Camera, told: LandingTold) {
    told.ends.forEach((end, i) => {
        const [x, y] = camera.toScreen(end);
        g.beginPath();
        g.arc(x, y, 7, 0, 7);
        g.fillStyle = told.meets[i] ? '#2F5D50' : '#F7F2E6';
        g.fill();
        g.lineWidth = 2.5;
        g.strokeStyle = told.meets[i] ? '#F7F2E6' : '#CB4B36';
        g.stroke();
    });
}
