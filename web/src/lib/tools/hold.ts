/** Lines taken in hand, and moved, turned, scaled, stretched and skewed by handles. */
import Hand from '@lucide/svelte/icons/mouse-pointer-2';
import { pathOf } from '../drawn/paths';
import { lineAt } from '../drawn/under';
import { type Affine, moved, NOWHERE, scaled, skewed, turned } from '../geometry/affine';
import type { Box } from '../geometry/box';
import { inSteps, onStep } from '../geometry/steps';
import { inside, jointsOf } from '../geometry/places';
import { bench } from '../state/bench.svelte';
import { held } from '../state/held.svelte';
import { mending } from '../state/mending.svelte';
import { sheet } from '../state/sheet.svelte';
import type { Pt } from '../types/Pt';
import type { How, InHand, Stroke, Tool } from './tool';

/** How near to a line a click must be, to a handle, and how far the knob for turning stands off, px of the screen. */
const NEAR = 8;
const GRASP = 11;
/** How far outside the box of what is in hand its handles stand. */
const ASIDE = 12;
const KNOB = 34;
/** A box so narrow has no handles in the middle of its sides, px of the screen. */
const FLAT = 16;

/** What is grasped of those in hand. */
type Grip =
    | { kind: 'line' }
    | { kind: 'pivot' }
    | { kind: 'turn' }
    /** By a corner or a side: where it lies in the box, 0 to 1 each way. */
    | { kind: 'side'; x: 0 | 0.5 | 1; y: 0 | 0.5 | 1 };

const SIDES = [0, 0.5, 1] as const;

/** Where the handles of a box stand on the screen; `more`: px farther out. */
function gripPlaces([left, top, right, low]: Box) {
    const { camera } = bench;
    return (x: number, y: number, more = 0): Pt => {
        const [px, py] = camera.toScreen([left + (right - left) * x, top + (low - top) * y]);
        const [u, v] = camera.wayOnScreen([Math.sign(x - 0.5), Math.sign(y - 0.5)]);
        const aside = (ASIDE + more) / camera.scale;
        return [px + u * aside, py + v * aside];
    };
}

/** The handles, on the screen. */
function grips(): { grip: Grip; at: Pt }[] {
    const box = held.box;
    if (!box) return [];
    const { camera } = bench;
    const at = gripPlaces(box);
    const [wide, high] = [(box[2] - box[0]) * camera.scale, (box[3] - box[1]) * camera.scale];
    const out: { grip: Grip; at: Pt }[] = [
        { grip: { kind: 'turn' }, at: at(0.5, 0, KNOB) },
        { grip: { kind: 'pivot' }, at: camera.toScreen(held.pivot) },
    ];
    for (const x of SIDES)
        for (const y of SIDES) {
            const isFlat = (x === 0.5 && wide < FLAT) || (y === 0.5 && high < FLAT);
            if ((x === 0.5 && y === 0.5) || isFlat) continue;
            out.push({ grip: { kind: 'side', x, y }, at: at(x, y) });
        }
    return out;
}

function gripAt(p: Pt): Grip | null {
    const at = bench.camera.toScreen(p);
    const near = grips().filter((g) => Math.hypot(g.at[0] - at[0], g.at[1] - at[1]) < GRASP);
    // Corners before the middle of what is small.
    const best = near.find((g) => g.grip.kind === 'side') ?? near[0];
    if (best) return best.grip;
    const ids = new Set(held.ids);
    return lineAt(p, NEAR / bench.camera.scale, (l) => ids.has(l.id)) ? { kind: 'line' } : null;
}

/** Where those in hand go when what is grasped is dragged; Ctrl skews by a side. */
function mapOf(grip: Grip, from: Pt, to: Pt, how: How): Affine {
    const box = held.box;
    if (!box) return NOWHERE;
    const [dx, dy] = [to[0] - from[0], to[1] - from[1]];
    if (grip.kind === 'line') {
        if (!how.inSteps) return moved(dx, dy);
        const [x, y] = onStep([0, 0], [dx, dy]);
        return moved(x, y);
    }
    const pivot = held.pivot;
    if (grip.kind === 'turn') {
        const angle = (p: Pt) => Math.atan2(p[1] - pivot[1], p[0] - pivot[0]);
        const by = angle(to) - angle(from);
        return turned(pivot, how.inSteps ? inSteps(by) : by);
    }
    if (grip.kind === 'pivot') return NOWHERE;
    const corner: Pt = [box[0] + (box[2] - box[0]) * grip.x, box[1] + (box[3] - box[1]) * grip.y];
    const across: Pt = [box[0] + (box[2] - box[0]) * (1 - grip.x), box[1] + (box[3] - box[1]) * (1 - grip.y)];
    const still: Pt = how.fromCentre ? pivot : across;
    const [w, h] = [corner[0] - still[0], corner[1] - still[1]];
    if (bench.free) {
        if (grip.x === 0.5) return Math.abs(h) < 1 ? NOWHERE : skewed(still, dx / h, 0);
        if (grip.y === 0.5) return Math.abs(w) < 1 ? NOWHERE : skewed(still, 0, dy / w);
    }
    const share = (by: number, size: number, fixed: boolean) => {
        const s = fixed || Math.abs(size) < 1e-6 ? 1 : (size + by) / size;
        return Math.abs(s) < 0.01 ? 0.01 * Math.sign(s || 1) : s;
    };
    let [sx, sy] = [share(dx, w, grip.x === 0.5), share(dy, h, grip.y === 0.5)];
    const isCorner = grip.x !== 0.5 && grip.y !== 0.5;
    // A corner keeps proportion unless Shift frees it: a drawing is rarely meant to be squeezed.
    if (isCorner && !how.inSteps) {
        const s = (w * (w + dx) + h * (h + dy)) / (w * w + h * h || 1);
        sx = sy = Math.abs(s) < 0.01 ? 0.01 : s;
    }
    return scaled(still, sx, sy);
}

/** What the stroke in hand began on: it is told once, since dragging does not change it. */
let begun: { at: Pt; grip: Grip | null } | null = null;

function gripOf(from: Pt): Grip | null {
    if (begun?.at !== from) begun = { at: from, grip: gripAt(from) };
    return begun.grip;
}

/** The lines that lie within an outline, by most of the places their curves run through. */
function within(outline: Pt[]): number[] {
    const [xs, ys] = [outline.map((p) => p[0]), outline.map((p) => p[1])];
    const least = (v: number[]) => v.reduce((a, b) => Math.min(a, b));
    const most = (v: number[]) => v.reduce((a, b) => Math.max(a, b));
    const near = sheet.view?.lines.within([least(xs), least(ys), most(xs), most(ys)]) ?? [];
    const holds = (p: Pt) => inside(p, outline);
    return near
        .filter((l) => {
            const joints = jointsOf(l.path);
            return 2 * joints.filter(holds).length > joints.length;
        })
        .flatMap((l) => held.withGroup(l));
}

async function use({ path, from, to, still, how }: Stroke) {
    const grip = gripOf(from);
    if (held.next === 'spread' && !still) return held.spread(path);
    if (held.next === 'end along' && still) {
        const other = lineAt(to, NEAR / bench.camera.scale, (l) => !held.ids.includes(l.id));
        if (other) await held.endAlong(other, (mending.settings.gap / 25.4) * (sheet.view?.dpi ?? 300));
        return;
    }
    if (still) {
        const line = lineAt(to, NEAR / bench.camera.scale, () => true);
        const ids = line ? held.withGroup(line) : [];
        if (!how.inSteps) held.take(ids);
        else if (ids.every((id) => held.ids.includes(id))) held.take(held.ids.filter((id) => !ids.includes(id)));
        else held.take([...held.ids, ...ids]);
        return;
    }
    if (grip === null) {
        const box = bench.camera.between(from, to);
        held.take(how.inSteps ? [...held.ids, ...within(box)] : within(path));
    } else if (grip.kind === 'pivot') held.pivot = to;
    else await held.lead(mapOf(grip, from, to, how), how.fromCentre && grip.kind === 'line');
}

function draw({ g, camera, stroke, how, onSheet }: InHand) {
    const [from, to] = [stroke[0], stroke[stroke.length - 1]];
    const grip = from && held.next !== 'spread' ? gripOf(from) : null;
    const isDragged = from && to && stroke.length > 1;
    const map = isDragged && grip ? mapOf(grip, from, to, how) : NOWHERE;
    const outlined = (paths: Path2D[], alpha: number) => {
        for (const [width, colour] of [
            [4, '#fffdf7'],
            [2, '#B87A10'],
        ] as const) {
            g.globalAlpha = alpha;
            g.lineWidth = width / camera.scale;
            g.strokeStyle = colour;
            for (const path of paths) g.stroke(path);
        }
        g.globalAlpha = 1;
    };
    const paths = held.lines.map(pathOf);
    if (held.next === 'spread') {
        onSheet(() => outlined(paths, 0.35));
        for (const [a, b, c, d, e, f] of isDragged ? held.mapsAlong(stroke) : []) {
            onSheet(() => {
                g.transform(a, d, b, e, c, f);
                outlined(paths, 1);
            });
        }
        return;
    }
    onSheet(() => outlined(paths, map === NOWHERE ? 1 : 0.35));
    if (map !== NOWHERE) {
        const [a, b, c, d, e, f] = map;
        onSheet(() => {
            g.transform(a, d, b, e, c, f);
            outlined(paths, 1);
        });
    }
    if (isDragged && grip === null) {
        g.beginPath();
        const outline = how.inSteps ? camera.between(from, to) : stroke;
        outline.forEach((p, k) => {
            const [x, y] = camera.toScreen(p);
            if (k) g.lineTo(x, y);
            else g.moveTo(x, y);
        });
        g.closePath();
        g.fillStyle = 'rgba(47, 93, 80, 0.12)';
        g.fill('evenodd');
        g.setLineDash([7, 4]);
        g.lineWidth = 1.5;
        g.strokeStyle = '#2F5D50';
        g.stroke();
        g.setLineDash([]);
    }
    if (isDragged && grip?.kind !== 'pivot') return;
    drawGrips(g, isDragged && to ? camera.toScreen(to) : null);
}

/** Handles: leaves at corners and sides, a bud on a stalk to turn by, a seed for the place that stays. */
function drawGrips(g: CanvasRenderingContext2D, seed: Pt | null) {
    g.lineWidth = 1.5;
    g.strokeStyle = '#2F5D50';
    if (held.box) {
        const at = gripPlaces(held.box);
        g.beginPath();
        g.moveTo(...at(0.5, 0, KNOB));
        g.lineTo(...at(0.5, 0));
        g.stroke();
    }
    for (const { grip, at } of grips()) {
        const [x, y] = grip.kind === 'pivot' && seed ? seed : at;
        g.beginPath();
        if (grip.kind === 'side') {
            const [u, v] = bench.camera.wayOnScreen([grip.x - 0.5, grip.y - 0.5]);
            g.ellipse(x, y, 7, 4, Math.atan2(v, u), 0, 2 * Math.PI);
            g.fillStyle = '#DE9F27';
        } else {
            g.arc(x, y, grip.kind === 'turn' ? 6 : 4, 0, 2 * Math.PI);
            g.fillStyle = grip.kind === 'turn' ? '#2F5D50' : '#fffdf7';
        }
        g.fill();
        g.strokeStyle = grip.kind === 'side' ? '#2a2822' : '#2F5D50';
        g.stroke();
    }
}

export const hold: Tool = {
    id: 'hold',
    name: 'Take in hand',
    help: 'Click a line, or draw around some; drag them, or their handles',
    icon: Hand,
    cursor: 'pointer',
    use,
    draw,
    drawsOn: () => 'all',
    always: () => true,
};
