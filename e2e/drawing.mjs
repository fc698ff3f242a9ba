/** Drawing by hand, driven: a pen, bare sheets, lines that are there from the start. */
import assert from 'node:assert/strict';
import { demo, demoDrawing, getJson, saved } from './browser.mjs';

/** A pen on the page: pressed, moved, lifted, with pressure and tilt. */
export async function penOf(context, page) {
    const devices = await context.newCDPSession(page);
    const send = (type, [x, y], force, tilt = 0) =>
        devices.send('Input.dispatchMouseEvent', {
            type,
            x,
            y,
            force,
            tiltX: tilt,
            buttons: type === 'mouseReleased' ? 0 : 1,
            button: 'left',
            pointerType: 'pen',
        });
    return {
        down: (at, force, tilt) => send('mousePressed', at, force, tilt),
        move: (at, force, tilt) => send('mouseMoved', at, force, tilt),
        up: (at) => send('mouseReleased', at, 0),
    };
}

/** A new bare sheet, open at Draw. */
export async function bareSheet(page, url) {
    const { id } = await demoDrawing(url, 0);
    await page.goto(`${url}/#/drawing/${id}/draw`);
    // The drawing that is there becomes its rough.
    await page.getByText('2400 × 1800 px').waitFor();
    const count = (await demo(url)).shots.find((s) => s.number === '012').drawings.length;
    await page.getByRole('button', { name: 'Bare sheet' }).click();
    await page.waitForFunction((id) => !location.hash.includes(`/${id}/`), id);
    const { drawings } = (await demo(url)).shots.find((s) => s.number === '012');
    assert.equal(drawings.length, count + 1);
    const { id: bare, name } = drawings[count];
    await page.waitForURL(`**/drawing/${bare}/draw`);
    await saved(page);
    return { bare, name, view: () => getJson(url, `/drawings/${bare}`) };
}

const post = async (url, path, body) => {
    const response = await fetch(`${url}/api${path}`, {
        method: 'POST',
        headers: { 'x-rhizograph': '1', 'content-type': 'application/json' },
        body: JSON.stringify(body),
    });
    if (!response.ok) throw new Error(`${path}: ${response.status} ${await response.text()}`);
    return response.json();
};

/** Takes a step on a drawing, as another page would. */
export async function step(url, id, command) {
    const { info } = await getJson(url, `/drawings/${id}`);
    return post(url, `/drawings/${id}/commands`, { revision: info.revision, numbering: 0, command });
}

const PEN = { width: 8, steadying: 0, follows: { by: 'steady' }, tilt: 0, grain: 1 };

/** A bare sheet with strokes on it, each a list of places, open at Draw. */
export async function sheetWith(page, url, strokes, at = 'draw') {
    const shot = (await demo(url)).shots.find((s) => s.number === '012');
    const name = `B-${String(shot.drawings.length).padStart(2, '0')}`;
    const { id } = await post(url, `/shots/${shot.id}/blank`, { name, width: 2400, height: 1800, dpi: 300 });
    for (const places of strokes) {
        const samples = places.map(([x, y]) => [x, y, null, null, null]);
        await step(url, id, { of: 'draw', do: 'ink', samples, pen: PEN, swatch: null, under: false, fuse: false });
    }
    await page.goto(`${url}/#/drawing/${id}/${at}`);
    await page.waitForURL(`**/drawing/${id}/${at}`);
    await saved(page);
    return {
        id,
        view: () => getJson(url, `/drawings/${id}`),
        lines: async () => {
            await saved(page);
            return (await getJson(url, `/drawings/${id}/hand-off/drawing.json`)).lines;
        },
    };
}

/** Places from one to another. */
export const between = ([x0, y0], [x1, y1], n = 24) =>
    Array.from({ length: n + 1 }, (_, k) => [x0 + ((x1 - x0) * k) / n, y0 + ((y1 - y0) * k) / n]);

/** The box around a line's points, as it is handed off. */
export function boxOf(line) {
    const points = line.points ?? line.contours.flat();
    const [xs, ys] = [points.map((p) => p[0]), points.map((p) => p[1])];
    return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

/** Numbers are those that are wanted, about. */
export const near = (is, want, by = 6) =>
    assert.ok(
        is.every((v, k) => Math.abs(v - want[k]) <= by),
        `${is.map((v) => v.toFixed(1))} of ${want}`,
    );
