/** A demo sheet from scan to painted drawing and out, as a new user would go. */
import assert from 'node:assert/strict';
import { readFile } from 'node:fs/promises';
import { PNG } from 'pngjs';
import { colourAt, onPage, openBrowser, saved } from '../browser.mjs';

const get = async (url, path) => (await fetch(`${url}/api${path}`)).json();

async function demoDrawing(url, n) {
    const productions = await get(url, '/productions');
    const demo = productions.find((p) => p.name === 'Kettle Post');
    return demo.shots.find((s) => s.number === '012').drawings[n];
}

const DOWNLOADS = {
    'ink.png': '012_A-01_ink.png',
    'paint.png': '012_A-01_paint.png',
    'drawing.svg': '012_A-01_drawing.svg',
};

export const tests = {
    async 'a demo sheet goes from scan to paint, survives undo and reload, and is handed off as it looks'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            await page.goto(url);
            await page.getByRole('heading', { name: 'Along the sea wall' }).waitFor();
            await page.getByRole('button', { name: 'A-01', exact: true }).click();
            const { id } = await demoDrawing(url, 0);

            // Lift: the preview shows ink and tells the specks; a slider moves it.
            await page.getByText(/mm² · [1-9]\d* go/).waitFor();
            await page.getByRole('button', { name: 'Lift and trace' }).click();
            await page.getByRole('button', { name: /Settle \d+ sure/ }).waitFor();
            let view = await get(url, `/drawings/${id}`);
            assert.ok(view.lines.length > 40, `${view.lines.length} lines`);
            const sure = view.findings.filter((f) => f.sure).length;
            assert.ok(sure >= 3);

            // Join: the sure ones in one go, one by key, one left.
            await page.getByRole('button', { name: `Settle ${sure} sure ones` }).click();
            await saved(page);
            view = await get(url, `/drawings/${id}`);
            const atJoin = (f) => !f.left && !['unpainted', 'two_paints'].includes(f.kind);
            const open = () => view.findings.filter((f) => atJoin(f) && f.quiet);
            assert.equal(view.findings.filter((f) => atJoin(f) && !f.quiet).length, 0, 'nothing is asked');
            const before = open().length;
            assert.ok(before >= 2, 'what ends freely is at hand');
            // Nothing quiet is walked to while it is folded.
            await page.keyboard.press('j');
            assert.equal(await page.locator('[aria-label=Findings] [aria-current=true]').count(), 0);
            await page.getByRole('button', { name: `${before} quiet` }).click();
            await page.keyboard.press('j');
            await page.getByRole('button', { name: /^(Leave|Leave open) X$/ }).waitFor();
            await page.keyboard.press('a');
            await saved(page);
            view = await get(url, `/drawings/${id}`);
            assert.ok(open().length < before, 'the key settled one');
            const after = open().length;
            await page.keyboard.press('j');
            await page.keyboard.press('x');
            await saved(page);
            view = await get(url, `/drawings/${id}`);
            assert.equal(open().length, after - 1);
            assert.equal(view.findings.filter((f) => f.left).length, 1);

            // Paint: three regions by mouse.
            await page.keyboard.press('6');
            await page.keyboard.press('f');
            const largest = [...view.regions].sort((a, b) => b.area - a.area).slice(0, 3);
            for (const [i, swatch] of ['Shell plate', 'Skin', 'Kettle'].entries()) {
                await page.getByRole('button', { name: swatch, exact: true }).click();
                const [x, y] = await onPage(page, view, largest[i].seed);
                await page.mouse.click(x, y);
                await saved(page);
            }
            view = await get(url, `/drawings/${id}`);
            const swatchOf = (seed) => view.regions.find((r) => r.seed[0] === seed[0] && r.seed[1] === seed[1])?.swatch;
            assert.deepEqual(
                largest.map((r) => swatchOf(r.seed)),
                ['shell-plate', 'skin', 'kettle'],
            );

            // Undo takes the last one back; a reload keeps all, and undo still works after it.
            await page.keyboard.press('Control+z');
            await saved(page);
            view = await get(url, `/drawings/${id}`);
            assert.equal(swatchOf(largest[2].seed), null);
            await page.keyboard.press('Control+Shift+z');
            await saved(page);
            await page.reload();
            await page.getByText('3 of').waitFor();
            const steps = (await get(url, `/drawings/${id}`)).steps;
            await page.getByRole('button', { name: 'Undo' }).click();
            await page.waitForFunction(
                (n) => document.querySelector('[data-testid=saved]')?.textContent?.includes(`step ${n}`),
                steps - 1,
            );
            assert.equal((await get(url, `/drawings/${id}`)).steps, steps - 1);
            await page.getByRole('button', { name: 'Do again' }).click();
            await page.waitForFunction(
                (n) => document.querySelector('[data-testid=saved]')?.textContent?.includes(`step ${n}`),
                steps,
            );

            // Hand off: unready, so it asks; then the files hold what the screen shows.
            await page.keyboard.press('7');
            await page.keyboard.press('f');
            const button = page.getByRole('button', { name: /^Hand off 1 drawing$/ });
            assert.ok(await button.isDisabled());
            await page.getByText('Not ready yet').waitFor();
            await page.getByLabel('Hand off anyway').check();
            await page.getByTestId('names').getByText('012_A-01_ink.png').waitFor();
            await button.click();
            const zip = page.getByTestId('outgoing').getByText('6 files in one ZIP');
            await zip.waitFor();
            const [download] = await Promise.all([page.waitForEvent('download'), zip.click()]);
            const packed = await readFile(await download.path());
            assert.equal(packed.subarray(0, 4).toString('latin1'), 'PK\u0003\u0004');
            const shot = (await get(url, '/productions'))[0].shots.find((s) => s.number === '012').id;
            const [job] = await get(url, `/shots/${shot}/jobs`);
            const made = (await get(url, `/jobs/${job.id}/files`)).map((f) => f.name);
            const beside = ['012.report.html', '012.report.json', '012.gpl'];
            assert.deepEqual(made, [...Object.values(DOWNLOADS), ...beside]);
            assert.ok((await get(url, `/drawings/${id}`)).info.handed_off);
            const read = async (name) =>
                Buffer.from(await (await fetch(`${url}/api/jobs/${job.id}/files/${DOWNLOADS[name]}`)).arrayBuffer());
            const ink = PNG.sync.read(await read('ink.png'));
            const paint = PNG.sync.read(await read('paint.png'));
            const svg = (await read('drawing.svg')).toString();
            view = await get(url, `/drawings/${id}`);
            assert.deepEqual([ink.width, ink.height], [view.width, view.height]);
            const at = (png, [x, y]) => [
                ...png.data.subarray((Math.floor(y) * png.width + Math.floor(x)) * 4).subarray(0, 4),
            ];
            for (const [i, r] of largest.entries()) {
                const colour = [
                    [158, 178, 110],
                    [217, 182, 122],
                    [181, 83, 58],
                ][i];
                assert.deepEqual(at(paint, r.seed), [...colour, 255]);
                assert.equal(at(ink, r.seed)[3], 0);
                const seen = await colourAt(page, await onPage(page, view, r.seed));
                assert.ok(
                    Math.max(...colour.map((c, k) => Math.abs(c - seen[k]))) <= 2,
                    `screen ${seen}, file ${colour}`,
                );
                assert.ok(svg.includes(`fill="#${colour.map((c) => c.toString(16).padStart(2, '0')).join('')}"`));
            }
            for (const group of ['paint', 'lines', 'bridges', 'seams']) assert.ok(svg.includes(`<g id="${group}"`));
            const inked = ink.data.filter((v, i) => i % 4 === 3 && v >= 128).length;
            assert.ok(inked > 20_000 && inked < ink.width * ink.height * 0.1, `${inked} pixels of ink`);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'a seam by hand parts a region, a sweep cuts a tail, and taking away brings it back'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 1);
            await page.goto(`${url}/#/drawing/${id}/lift`);
            await page.getByRole('button', { name: 'Lift and trace' }).click();
            await page.getByRole('button', { name: /Settle \d+ sure/ }).waitFor();
            let view = await get(url, `/drawings/${id}`);
            const before = view.regions.length;
            const largest = [...view.regions].sort((a, b) => b.area - a.area)[0];

            // A seam straight through the largest region, far enough to reach its lines at both sides.
            await page.keyboard.press('f');
            await page.getByRole('toolbar').getByRole('button', { name: 'Seam' }).click();
            const [x, y] = await onPage(page, view, largest.seed);
            await page.mouse.move(x, y - 230);
            await page.mouse.down();
            for (let k = -22; k <= 23; k++) await page.mouse.move(x, y + 10 * k);
            await page.mouse.up();
            await saved(page);
            view = await get(url, `/drawings/${id}`);
            assert.ok(view.regions.length > before, `${before} regions became ${view.regions.length}`);
            assert.equal(view.lines.filter((l) => l.kind === 'seam').length, 1);

            // Taken away again by a click on it.
            await page.getByRole('toolbar').getByRole('button', { name: 'Take away' }).click();
            await page.mouse.click(x, y - 15);
            await saved(page);
            view = await get(url, `/drawings/${id}`);
            assert.equal(view.regions.length, before);
            assert.equal(view.lines.filter((l) => l.kind === 'seam').length, 0);

            // A quick stroke across a tail.
            const tail = view.findings.find((f) => f.kind === 'tail' && f.sure);
            assert.ok(tail, 'the demo has a tail here');
            await page.getByRole('toolbar').getByRole('button', { name: 'Sweep' }).click();
            const [ax, ay] = await onPage(page, view, tail.at);
            const [bx, by] = await onPage(page, view, tail.to);
            const d = Math.hypot(bx - ax, by - ay);
            const [nx, ny] = [-(by - ay) / d, (bx - ax) / d];
            const [mx, my] = [ax + (bx - ax) * 0.8, ay + (by - ay) * 0.8];
            await page.mouse.move(mx - nx * 7, my - ny * 7);
            await page.mouse.down();
            for (let k = -6; k <= 7; k++) await page.mouse.move(mx + nx * k, my + ny * k);
            await page.mouse.up();
            await saved(page);
            view = await get(url, `/drawings/${id}`);
            assert.ok(!view.findings.some((f) => f.id === tail.id), 'the tail is gone');
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
