import { expect, test } from 'vitest';
import { type Inked, shaped } from '../src/lib/geometry/stroke';
import type { Pen } from '../src/lib/types/Pen';
import type { Sample } from '../src/lib/types/Sample';
import strokes from './strokes.json';

const shown = strokes as unknown as {
    samples: Sample[];
    pen: Pen;
    points: Inked[];
}[];

test('a stroke is shown as it will stay', () => {
    expect(shown.length).toBeGreaterThanOrEqual(5);
    for (const { samples, pen, points } of shown) {
        const here = shaped(samples, pen);
        expect(here.length).toBe(points.length);
        const off = here.map((p, k) => Math.max(...p.map((v, i) => Math.abs(v - points[k]![i]!))));
        expect(Math.max(...off)).toBeLessThan(1e-6);
    }
});

test('ten seconds of a quick device are shown within two frames', () => {
    const samples: Sample[] = Array.from({ length: 2400 }, (_, k) => {
        const t = k / 700;
        return [400 + 300 * Math.cos(t), 300 + 200 * Math.sin(1.7 * t), 0.5, null, k * 4.17];
    });
    const pen: Pen = { width: 6, steadying: 1, follows: { by: 'steady' }, tilt: 0, grain: 1 };
    shaped(samples, pen);
    const took = [0, 0, 0].map(() => {
        const began = performance.now();
        shaped(samples, pen);
        return performance.now() - began;
    });
    expect(Math.min(...took)).toBeLessThan(33);
});
