/** A stroke of ink as it will stay, on any canvas. */
import type { Inked } from '../geometry/stroke';

/** Points nearer to one another on the screen are not told apart, px. */
const APART = 0.6;

/** The outline of a stroke; `to`: where a place of it lies, `scale`: how much larger things are there. */
export function inkedPath(points: Inked[], to: (x: number, y: number) => [number, number], scale: number): Path2D {
    const path = new Path2D();
    let last: [number, number, number] | null = null;
    points.forEach(([px, py, width], k) => {
        const [x, y] = to(px, py);
        const r = Math.max(0.2, (width * scale) / 2);
        if (last && k < points.length - 1 && (x - last[0]) ** 2 + (y - last[1]) ** 2 < APART ** 2) return;
        path.moveTo(x + r, y);
        path.arc(x, y, r, 0, 2 * Math.PI);
        if (last) {
            const [u, v, was] = last;
            const far = Math.hypot(x - u, y - v) || 1;
            const [nx, ny] = [(y - v) / far, (u - x) / far];
            // Always the same way round, so that no part takes another out.
            path.moveTo(u + nx * was, v + ny * was);
            path.lineTo(x + nx * r, y + ny * r);
            path.lineTo(x - nx * r, y - ny * r);
            path.lineTo(u - nx * was, v - ny * was);
            path.closePath();
        }
        last = [x, y, r];
    });
    return path;
}
