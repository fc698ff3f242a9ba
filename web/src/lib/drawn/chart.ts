/** Charts over or under a drawing: fields of 12 or 16, or a square grid. */

import type { Camera } from '../geometry/camera.svelte';
import { type Chart, squareOf } from '../geometry/chart';

type G = CanvasRenderingContext2D;

/** A field is as wide as it is high times this. */
const ASPECT = 4 / 3;
/** Every how many squares of the grid a line is marked. */
const MARKED = 5;
const COLOUR = '#3B6FA5';

/** Draws a chart with the context laid to the sheet. `under`: ink lies over it. */
export function drawChart(
    g: G,
    chart: Chart,
    [width, height]: [number, number],
    dpi: number,
    { scale, mirrored }: Camera,
    under: boolean,
) {
    if (chart === 'none') return;
    g.save();
    g.beginPath();
    g.rect(0, 0, width, height);
    g.clip();
    // What darkens nothing black seems to lie under it.
    if (under) g.globalCompositeOperation = 'multiply';
    g.strokeStyle = g.fillStyle = COLOUR;
    const line = (strong: boolean) => {
        g.globalAlpha = strong ? 0.6 : 0.28;
        g.lineWidth = (strong ? 1.4 : 1) / scale;
    };
    if (chart === 'grid') {
        const step = squareOf(dpi);
        for (let k = 0; k * step <= Math.max(width, height); k++) {
            line(k % MARKED === 0);
            g.beginPath();
            g.moveTo(k * step, 0);
            g.lineTo(k * step, height);
            g.moveTo(0, k * step);
            g.lineTo(width, k * step);
            g.stroke();
        }
        g.restore();
        return;
    }
    const count = Number(chart);
    const whole = Math.min(width, height * ASPECT);
    const [x, y] = [width / 2, height / 2];
    g.font = `${11 / scale}px sans-serif`;
    g.textAlign = 'center';
    for (let k = 1; k <= count; k++) {
        const [w, h] = [(whole * k) / count, (whole * k) / count / ASPECT];
        line(k % 4 === 0);
        g.strokeRect(x - w / 2, y - h / 2, w, h);
        g.globalAlpha = 0.8;
        if (k % 2 === 0) {
            g.save();
            g.translate(x + w / 2 - 9 / scale, y - 3 / scale);
            // Numbers are read from before the sheet.
            if (mirrored) g.scale(-1, 1);
            g.fillText(String(k), 0, 0);
            g.restore();
        }
    }
    line(true);
    g.beginPath();
    g.moveTo(x, y - whole / 2 / ASPECT);
    g.lineTo(x, y + whole / 2 / ASPECT);
    g.moveTo(x - whole / 2, y);
    g.lineTo(x + whole / 2, y);
    g.stroke();
    g.restore();
}
