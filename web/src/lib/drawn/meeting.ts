/** What new ink catches: ends of lines, lines, what leads on from them, what is level or plumb with them, guides, the grid. */
import { nearestOn } from '../geometry/chain';
import { squareOf } from '../geometry/chart';
import { chainsOf, endsOf } from '../geometry/places';
import { aslant, crossingOf, footOn, gridAt, type Straight } from '../geometry/straights';
import { bench } from '../state/bench.svelte';
import { guides } from '../state/guides.svelte';
import { sheet } from '../state/sheet.svelte';
import { snaps } from '../state/snaps.svelte';
import type { LineView } from '../types/LineView';
import type { Pt } from '../types/Pt';

export type Met = 'end' | 'line' | 'tangent' | 'leads on' | 'level' | 'plumb' | 'guide' | 'grid';

export interface Meeting {
    at: Pt;
    /** One, or two that cross there. */
    of: Met[];
    /** The ends of lines that it is in line with. */
    ends: Pt[];
}

export interface Sought {
    /** How near it must be, px of the sheet. */
    reach: number;
    /** A straight stroke begins there: it can touch a line without crossing it. */
    from?: Pt | null;
    /** Places that are only in line with something will do, and no line itself: the corner of a box around a shape. */
    inLineOnly?: boolean;
    /** Being level or plumb with an end counts: what is straight means it, a free hand hardly ever. */
    straight?: boolean;
}

/** A line is met from nearer than an end, by this share, and so is what has no ink. */
const LINE = 0.55;
/** How often the place on a line is looked for more closely. */
const CLOSER = 20;
/**
 * How far away an end may be that something is level or plumb with, and one that it leads on from: for what is straight, and
 * for a free hand; px of the screen. And how many ends count, the nearest: in a dense drawing every place is in line with some.
 */
const IN_LINE = 420;
const LEADS_ON = { straight: 160, free: 70 };
const NEAREST = 6;

/** What is known of a line's curves: it is asked at each move of the pointer. */
interface Curves {
    chains: { points: Pt[]; closed: boolean }[];
    ends: [Pt, Pt] | null;
}
const known = new WeakMap<LineView, Curves>();

function curvesOf(line: LineView): Curves {
    let curves = known.get(line);
    if (!curves) known.set(line, (curves = { chains: chainsOf(line.path), ends: endsOf(line) }));
    return curves;
}

/** The place of a chain's curve at a parameter, or the way there. */
function onCurve(points: Pt[], n: number, t: number, wayOnly = false): Pt {
    const u = 1 - t;
    const at = (k: 0 | 1) => {
        const [a, b, c, d] = [0, 1, 2, 3].map((i) => points[3 * n + i]![k]) as [number, number, number, number];
        if (wayOnly) return u * u * (b - a) + 2 * u * t * (c - b) + t * t * (d - c);
        return u * u * u * a + 3 * u * u * t * b + 3 * u * t * t * c + t * t * t * d;
    };
    return [at(0), at(1)];
}

/** The place of a chain nearest to another one. */
function nearest(points: Pt[], p: Pt): Pt {
    const { n, t } = nearestOn(points, p);
    const far = (t: number) => {
        const [x, y] = onCurve(points, n, t);
        return Math.hypot(x - p[0], y - p[1]);
    };
    let [low, high] = [Math.max(0, t - 1 / 16), Math.min(1, t + 1 / 16)];
    for (let k = 0; k < CLOSER; k++) {
        const [a, b] = [low + (high - low) / 3, high - (high - low) / 3];
        if (far(a) < far(b)) high = b;
        else low = a;
    }
    return onCurve(points, n, (low + high) / 2);
}

/** The places of a chain where a straight line from elsewhere touches it without crossing. */
function touched(points: Pt[], from: Pt): Pt[] {
    const out: Pt[] = [];
    for (let n = 0; 3 * n + 3 < points.length; n++) {
        const aside = (t: number) => {
            const [[x, y], [u, v]] = [onCurve(points, n, t), onCurve(points, n, t, true)];
            return (x - from[0]) * v - (y - from[1]) * u;
        };
        for (let k = 0; k < 16; k++) {
            let [low, high] = [k / 16, (k + 1) / 16];
            const first = aside(low);
            if (first === 0 || first > 0 === aside(high) > 0) continue;
            for (let i = 0; i < CLOSER; i++) {
                const middle = (low + high) / 2;
                if (aside(middle) > 0 === first > 0) low = middle;
                else high = middle;
            }
            out.push(onCurve(points, n, (low + high) / 2));
        }
    }
    return out;
}

/** A straight line that can be caught, and the end of a line that it is of. */
interface Lead extends Straight {
    of: Met;
    end: Pt | null;
}

/** The lines that may be caught: solids have no middle. */
const caughtIn = (p: Pt, reach: number) =>
    (sheet.view?.lines.within([...p, ...p], reach) ?? []).filter((l) => l.kind !== 'outline');

/** Where a line goes on beyond its ends. */
function onwardOf(line: LineView): Lead[] {
    const { chains, ends } = curvesOf(line);
    const points = chains[0]?.points;
    if (!points || !ends) return [];
    return [points, [...points].reverse()].flatMap((list) => {
        const end = list[0]!;
        // A handle may lie on its joint.
        const back = list.find((q) => Math.hypot(q[0] - end[0], q[1] - end[1]) > 0.5);
        if (!back) return [];
        const angle = Math.atan2(end[1] - back[1], end[0] - back[0]);
        return [{ ...aslant(end, angle), onward: true, of: 'leads on' as const, end }];
    });
}

/** The straight lines that pass near enough to a place. */
function leadsNear(p: Pt, { reach, straight }: Sought): Lead[] {
    const { scale } = bench.camera;
    const { onward, level, guides: toGuides, grid } = snaps.settings;
    const out: Lead[] = [];
    if (toGuides) for (const { at, angle } of guides.list) out.push({ ...aslant(at, angle), of: 'guide', end: null });
    if (grid && bench.chart === 'grid')
        for (const s of gridAt(p, squareOf(sheet.view?.dpi ?? 300))) out.push({ ...s, of: 'grid', end: null });
    const offEnd = ({ end }: { end: Pt | null }) => (end ? Math.hypot(end[0] - p[0], end[1] - p[1]) * scale : Infinity);
    const nearestOf = <T extends { end: Pt | null }>(list: T[], within: number) =>
        list
            .filter((l) => offEnd(l) <= within)
            .sort((a, b) => offEnd(a) - offEnd(b))
            .slice(0, NEAREST);
    if (onward) {
        const reach = straight ? LEADS_ON.straight : LEADS_ON.free;
        out.push(...nearestOf(caughtIn(p, reach / scale).flatMap(onwardOf), reach));
    }
    if (level && straight) {
        const ends = caughtIn(p, IN_LINE / scale).flatMap((l) => curvesOf(l).ends ?? []);
        const known = ends.map((end) => ({ end }));
        for (const { end } of nearestOf(known, IN_LINE)) {
            out.push({ at: end, way: [1, 0], of: 'level', end }, { at: end, way: [0, 1], of: 'plumb', end });
        }
    }
    const far = (s: Straight) => {
        const foot = footOn(s, p);
        return foot ? Math.hypot(foot[0] - p[0], foot[1] - p[1]) : Infinity;
    };
    return out
        .map((lead) => ({ lead, far: far(lead) }))
        .filter((l) => l.far <= LINE * reach)
        .sort((a, b) => a.far - b.far)
        .map(({ lead }) => lead);
}

/**
 * What ink at a place of the sheet would meet: the nearest end of a line, else where two straight lines cross, a line that
 * is touched or passed, a straight line.
 */
export function meetingNear(p: Pt, sought: Sought): Meeting | null {
    const { reach, from, inLineOnly } = sought;
    const far = (q: Pt) => Math.hypot(q[0] - p[0], q[1] - p[1]);
    const best = (list: Pt[], within: number) =>
        list.filter((q) => far(q) <= within).sort((a, b) => far(a) - far(b))[0] ?? null;
    const lines = inLineOnly ? [] : caughtIn(p, reach);
    const end = snaps.settings.ends
        ? best(
              lines.flatMap((l) => curvesOf(l).ends ?? []),
              reach,
          )
        : null;
    if (end) return { at: end, of: ['end'], ends: [] };
    const leads = leadsNear(p, sought);
    const [first] = leads;
    for (const other of leads.slice(1)) {
        const at = first && crossingOf(first, other);
        // A free hand follows one line, and does not aim for where two would cross.
        if (!at || far(at) > reach || (!sought.straight && (first.end ?? other.end))) continue;
        return { at, of: [first.of, other.of], ends: [first.end, other.end].filter((e) => e !== null) };
    }
    if (snaps.settings.lines) {
        const chains = lines.flatMap((l) => curvesOf(l).chains.map((c) => c.points));
        const tangent = from
            ? best(
                  chains.flatMap((points) => touched(points, from)),
                  reach,
              )
            : null;
        if (tangent) return { at: tangent, of: ['tangent'], ends: [] };
        const on = best(
            chains.map((points) => nearest(points, p)),
            LINE * reach,
        );
        if (on) return { at: on, of: ['line'], ends: [] };
    }
    const foot = first && footOn(first, p);
    return foot ? { at: foot, of: [first.of], ends: first.end ? [first.end] : [] } : null;
}

/** Draws what is met, on the screen: a ring with four ticks and a word, and dots back to the ends it is in line with. */
export function drawMeeting(g: CanvasRenderingContext2D, { at, of, ends }: Meeting) {
    const { camera } = bench;
    const [x, y] = camera.toScreen(at);
    g.save();
    const stroke = () => {
        for (const [width, colour] of [
            [4, '#fffdf7'],
            [2, '#B87A10'],
        ] as const) {
            g.lineWidth = width;
            g.strokeStyle = colour;
            g.stroke();
        }
    };
    g.lineCap = 'round';
    g.setLineDash([0.1, 6]);
    for (const end of ends) {
        g.beginPath();
        g.moveTo(x, y);
        g.lineTo(...camera.toScreen(end));
        stroke();
    }
    g.setLineDash([]);
    g.beginPath();
    g.arc(x, y, 7, 0, 2 * Math.PI);
    for (const [u, v] of [
        [0, 1],
        [0, -1],
        [1, 0],
        [-1, 0],
    ] as const) {
        g.moveTo(x + 10 * u, y + 10 * v);
        g.lineTo(x + 14 * u, y + 14 * v);
    }
    stroke();
    g.font = '600 12.5px "Atkinson Hyperlegible Next Variable"';
    g.textBaseline = 'middle';
    g.lineJoin = 'round';
    g.lineWidth = 4;
    g.strokeStyle = '#fffdf7';
    g.fillStyle = '#2a2822';
    const words = of.join(' · ');
    g.strokeText(words, x + 17, y - 15);
    g.fillText(words, x + 17, y - 15);
    g.restore();
}

/** How far around a meeting it is drawn, px of the screen: its words are the longest part. */
export const MEETING_REACH = 110;
