/** Chains of curves as somebody edits them: ends and handles in turn, `3 n + 1` points; a closed one ends where it begins. */
import type { Pt } from '../types/Pt';

const plus = (a: Pt, b: Pt): Pt => [a[0] + b[0], a[1] + b[1]];
const minus = (a: Pt, b: Pt): Pt => [a[0] - b[0], a[1] - b[1]];
const times = (a: Pt, k: number): Pt => [a[0] * k, a[1] * k];
const length = (a: Pt) => Math.hypot(a[0], a[1]);
const lerp = (a: Pt, b: Pt, t: number): Pt => [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t];

/** Whether the line goes on smoothly through a joint: its handles lie on one straight line, within 3 degrees. */
export function isSmooth(points: Pt[], k: number, closed: boolean): boolean {
    const [before, behind] = handlesOf(points, k, closed);
    if (before === null || behind === null) return false;
    const [a, b] = [minus(points[k]!, points[before]!), minus(points[behind]!, points[k]!)];
    if (length(a) < 1e-6 || length(b) < 1e-6) return false;
    return Math.abs(Math.atan2(a[0] * b[1] - a[1] * b[0], a[0] * b[0] + a[1] * b[1])) < (3 * Math.PI) / 180;
}

/** The handles of a joint, by their places in the chain. */
function handlesOf(points: Pt[], k: number, closed: boolean): [number | null, number | null] {
    const last = points.length - 1;
    const before = k > 0 ? k - 1 : closed ? last - 1 : null;
    const behind = k < last ? k + 1 : closed ? 1 : null;
    return [before, behind];
}

/** The joint that a handle belongs to. */
const jointOf = (k: number) => (k % 3 === 1 ? k - 1 : k + 1);

/** A point elsewhere: a joint takes its handles along; of a smooth one the other handle turns with the one that is moved. */
export function dragged(points: Pt[], k: number, to: Pt, closed: boolean, free = false): Pt[] {
    const out = points.map((p): Pt => [...p]);
    const last = points.length - 1;
    const by = minus(to, points[k]!);
    if (k % 3 === 0) {
        const all = closed && (k === 0 || k === last) ? [0, last] : [k];
        const [before, behind] = handlesOf(points, k, closed);
        for (const n of [...all, before, behind]) if (n !== null) out[n] = plus(out[n]!, by);
        return out;
    }
    out[k] = to;
    const joint = jointOf(k);
    const [before, behind] = handlesOf(points, joint, closed);
    const other = k === before ? behind : before;
    if (!free && other !== null && isSmooth(points, joint, closed)) {
        const away = minus(points[joint]!, to);
        const far = length(minus(points[other]!, points[joint]!));
        if (length(away) > 1e-6) out[other] = plus(points[joint]!, times(away, far / length(away)));
    }
    return out;
}

/** One more joint on curve `n` at `t`, the shape as it was (de Casteljau). */
export function divided(points: Pt[], n: number, t: number): Pt[] {
    const [a, b, c, d] = points.slice(3 * n, 3 * n + 4) as [Pt, Pt, Pt, Pt];
    const [ab, bc, cd] = [lerp(a, b, t), lerp(b, c, t), lerp(c, d, t)];
    const [abc, bcd] = [lerp(ab, bc, t), lerp(bc, cd, t)];
    return [...points.slice(0, 3 * n + 1), ab, abc, lerp(abc, bcd, t), bcd, cd, ...points.slice(3 * n + 3)];
}

/** One joint less: the two curves at it become one that leaves both ends as they did. `null`: no curve would be left. */
export function joined(points: Pt[], k: number, closed: boolean): Pt[] | null {
    const last = points.length - 1;
    if (last < 6) return null;
    if (k === 0 || k === last) {
        if (!closed) return k === 0 ? points.slice(3) : points.slice(0, -3);
        // A closed one begins at its next joint.
        return joined([...points.slice(3), ...points.slice(1, 4)], last - 3, false)!;
    }
    const [a, b, c, at, d, e, f] = points.slice(k - 3, k + 4) as [Pt, Pt, Pt, Pt, Pt, Pt, Pt];
    const way = (...list: Pt[]) => list.slice(1).reduce((sum, p, i) => sum + length(minus(p, list[i]!)), 0);
    const [one, two] = [way(a, b, c, at), way(at, d, e, f)];
    const t = Math.min(0.9, Math.max(0.1, one / (one + two || 1)));
    const [first, second] = [plus(a, times(minus(b, a), 1 / t)), plus(f, times(minus(e, f), 1 / (1 - t)))];
    return [...points.slice(0, k - 2), first, second, ...points.slice(k + 3)];
}

/** A joint made smooth, or a corner. */
export function turned(points: Pt[], k: number, closed: boolean): Pt[] {
    const [before, behind] = handlesOf(points, k, closed);
    if (before === null || behind === null) return points;
    const out = points.map((p): Pt => [...p]);
    const at = points[k]!;
    const last = points.length - 1;
    if (isSmooth(points, k, closed)) {
        const from = points[before - 2 >= 0 ? before - 2 : last - 3]!;
        const to = points[behind + 2 <= last ? behind + 2 : 3]!;
        out[before] = lerp(at, from, 1 / 3);
        out[behind] = lerp(at, to, 1 / 3);
        return out;
    }
    const along = minus(points[behind]!, points[before]!);
    const far = length(along) || 1;
    out[before] = minus(at, times(along, length(minus(at, points[before]!)) / far));
    out[behind] = plus(at, times(along, length(minus(points[behind]!, at)) / far));
    return out;
}

/** The place of a chain nearest to another place: the curve, where on it, and how far off. */
export function nearestOn(points: Pt[], p: Pt): { n: number; t: number; far: number } {
    let best = { n: 0, t: 0, far: Infinity };
    for (let n = 0; 3 * n + 3 < points.length; n++) {
        const [a, b, c, d] = points.slice(3 * n, 3 * n + 4) as [Pt, Pt, Pt, Pt];
        for (let i = 0; i <= 32; i++) {
            const [t, u] = [i / 32, 1 - i / 32];
            const at = (k: 0 | 1) => u * u * u * a[k] + 3 * u * u * t * b[k] + 3 * u * t * t * c[k] + t * t * t * d[k];
            const far = Math.hypot(at(0) - p[0], at(1) - p[1]);
            if (far < best.far) best = { n, t: Math.min(0.97, Math.max(0.03, t)), far };
        }
    }
    return best;
}
