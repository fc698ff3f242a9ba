/** A path that is set point by point at Draw, until it is ended. */
import type { Pt } from '../types/Pt';

export interface Point {
    at: Pt;
    /** How far its handle reaches ahead; the one behind it lies opposite. `null`: a corner. */
    ahead: Pt | null;
}

const along = (a: Pt, b: Pt, t: number): Pt => [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t];

/** The chain of curves through points: ends and handles in turn. */
export function chainThrough(points: Point[], closed: boolean): Pt[] {
    const all = closed ? [...points, ...points.slice(0, 1)] : points;
    return all.flatMap((to, k): Pt[] => {
        const from = all[k - 1];
        if (!from) return [to.at];
        const { at: a, ahead } = from;
        const { at: b, ahead: behind } = to;
        return [
            ahead ? [a[0] + ahead[0], a[1] + ahead[1]] : along(a, b, 1 / 3),
            behind ? [b[0] - behind[0], b[1] - behind[1]] : along(a, b, 2 / 3),
            b,
        ];
    });
}

class Clicked {
    points = $state.raw<Point[]>([]);

    add(point: Point) {
        this.points = [...this.points, point];
    }

    /** Takes the last one back. */
    back() {
        this.points = this.points.slice(0, -1);
    }

    clear() {
        this.points = [];
    }
}

export const clicked = new Clicked();
