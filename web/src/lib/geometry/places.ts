/** The places that a line's curves run through, read from its path. */
import type { Pt } from '../types/Pt';

/** The curves of a path: for each run of it the points of its chain, ends and handles in turn. */
export function chainsOf(path: string): { points: Pt[]; closed: boolean }[] {
    return path
        .split('M')
        .filter((run) => run.length > 0)
        .map((run) => {
            const numbers = run.match(/-?[\d.]+/g)?.map(Number) ?? [];
            const points: Pt[] = [];
            for (let k = 0; k + 1 < numbers.length; k += 2) points.push([numbers[k]!, numbers[k + 1]!]);
            return { points, closed: run.includes('Z') };
        });
}

/** Those between which its curves run. */
export const jointsOf = (path: string): Pt[] =>
    chainsOf(path).flatMap(({ points }) => points.filter((_, k) => k % 3 === 0));

/** Whether a place lies in a closed outline by the even-odd rule. */
export function inside([x, y]: Pt, outline: Pt[]): boolean {
    let odd = false;
    outline.forEach((a, k) => {
        const b = outline[(k + 1) % outline.length]!;
        if (a[1] > y !== b[1] > y && x < a[0] + ((y - a[1]) / (b[1] - a[1])) * (b[0] - a[0])) odd = !odd;
    });
    return odd;
}

/** Places evenly along a way, both its ends among them, and the way there, radians from +x to +y. */
export function placesAlong(way: Pt[], count: number): { at: Pt; angle: number }[] {
    const far = [0];
    way.slice(1).forEach((p, k) => far.push(far[k]! + Math.hypot(p[0] - way[k]![0], p[1] - way[k]![1])));
    const whole = far[far.length - 1] ?? 0;
    if (whole === 0 || count < 1) return [];
    let k = 1;
    return Array.from({ length: count }, (_, n) => {
        const along = count === 1 ? whole : (whole * n) / (count - 1);
        while (k < far.length - 1 && far[k]! < along) k++;
        const [a, b] = [way[k - 1]!, way[k]!];
        const t = (along - far[k - 1]!) / (far[k]! - far[k - 1]! || 1);
        const at: Pt = [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t];
        return { at, angle: Math.atan2(b[1] - a[1], b[0] - a[0]) };
    });
}

/** A line as far as it is asked here: its path and how broad it is. */
interface Ink {
    path: string;
    width: number;
}

/** Places along a line's path, its curves divided in eight. */
export function placesOf(line: Pick<Ink, 'path'>): Pt[] {
    const out: Pt[] = [];
    for (const { points } of chainsOf(line.path)) {
        for (let k = 0; k + 3 < points.length; k += 3) {
            const [a, b, c, d] = [points[k]!, points[k + 1]!, points[k + 2]!, points[k + 3]!];
            for (let i = 0; i <= 8; i++) {
                const [t, u] = [i / 8, 1 - i / 8];
                const at = (n: 0 | 1) =>
                    u * u * u * a[n] + 3 * u * u * t * b[n] + 3 * u * t * t * c[n] + t * t * t * d[n];
                out.push([at(0), at(1)]);
            }
        }
    }
    return out;
}

/** Where it begins and ends; `null`: it is closed. */
export function endsOf(line: Pick<Ink, 'path'>): [Pt, Pt] | null {
    const [chain] = chainsOf(line.path);
    const [first, last] = [chain?.points[0], chain?.points[(chain?.points.length ?? 1) - 1]];
    return chain && !chain.closed && first && last ? [first, last] : null;
}

/** Whether the ink of two lines touches, about: their paths come as near as they are broad. */
function touch(a: Ink, b: Ink): boolean {
    const reach = (a.width + b.width) / 2 + 1;
    const [near, far] = [placesOf(a), placesOf(b)];
    const close = (p: Pt, q: Pt, r: Pt) => {
        const [dx, dy] = [r[0] - q[0], r[1] - q[1]];
        const t = Math.max(0, Math.min(1, ((p[0] - q[0]) * dx + (p[1] - q[1]) * dy) / (dx * dx + dy * dy || 1)));
        return Math.hypot(p[0] - q[0] - t * dx, p[1] - q[1] - t * dy) <= reach;
    };
    const meets = (list: Pt[], path: Pt[]) => list.some((p) => path.some((q, k) => k > 0 && close(p, path[k - 1]!, q)));
    return meets(near, far) || meets(far, near);
}

/** Lines with all that their ink touches, and what that touches; `near`: those whose boxes a line's ink may meet. */
export function connected<T extends Ink>(lines: T[], near: (line: T) => T[]): T[] {
    const known = new Set(lines);
    const open = [...lines];
    for (let line = open.pop(); line; line = open.pop()) {
        for (const other of near(line)) {
            if (known.has(other) || !touch(line, other)) continue;
            known.add(other);
            open.push(other);
        }
    }
    return [...known];
}
