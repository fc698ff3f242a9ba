/**
 * How long it takes from letting go of the pointer to the regions on the screen, in a drawing of 5,000 lines, which hangs
 * in shot 070: seams drawn, lines bridged, bridges taken away, paint, a step back and forth; near to and far from the
 * sheet. Prints the figures.
 */
import assert from 'node:assert/strict';
import { demoDrawing, getJson, measured, onPage, openBrowser, quantile, saved } from '../browser.mjs';

/** How soon after an edit is shown the next one begins, ms: nobody judges a finding or draws a seam faster. */
const PACE = 200;

/** A stroke by mouse, from a place of the canvas by so much. */
async function stroke(page, [x, y], [dx, dy]) {
    await page.mouse.move(x, y);
    await page.mouse.down();
    for (let i = 1; i <= 6; i++) await page.mouse.move(x + (dx * i) / 6, y + (dy * i) / 6);
    await page.mouse.up();
    await shown(page);
}

/** Waits until the last step is saved and its ink has come. */
async function shown(page) {
    await saved(page);
    await page.waitForFunction(() => performance.getEntriesByName('edit to ink').length > 0, null, { polling: 25 });
    await page.waitForTimeout(PACE);
}

/** 500 lines in hand, moved to and fro. */
async function moves(page, url, id, series) {
    const now = await getJson(url, `/drawings/${id}`);
    const middle = (l) => [(l.bounds[0] + l.bounds[2]) / 2, (l.bounds[1] + l.bounds[3]) / 2];
    const off = ([x, y]) => [x - 2400, y - 1800];
    const near = now.lines
        .filter((l) => l.kind === 'centreline')
        .sort((a, b) => Math.hypot(...off(middle(a))) - Math.hypot(...off(middle(b))));
    const taken = near.slice(0, 500);
    await page.getByRole('button', { name: 'Take in hand', exact: true }).click();
    const reach = Math.max(...taken.map((l) => Math.hypot(...off(middle(l)))));
    const ring = Array.from({ length: 60 }, (_, k) => [
        2400 + reach * Math.cos((k * Math.PI) / 30),
        1800 + reach * Math.sin((k * Math.PI) / 30),
    ]);
    const to = (p) => onPage(page, now, p);
    await page.mouse.move(...(await to(ring[0])));
    await page.mouse.down();
    for (const p of ring) await page.mouse.move(...(await to(p)));
    await page.mouse.up();
    const told = await page.getByTestId('in-hand').innerText();
    const count = Number(/\d+/.exec(told)[0]);
    assert.ok(count > 400 && count < 700, told);
    // They are dragged by a line half way out: in the middle lies the place that stays.
    const [x, y] = taken[250].path
        .match(/-?[\d.]+/g)
        .slice(0, 2)
        .map(Number);
    let at = [x, y];
    await series(`${count} lines in hand moved`, 6, async (k) => {
        const by = k % 2 ? -30 : 30;
        const from = await to(at);
        await stroke(page, from, [by, 0]);
        const [x1] = await to([at[0] + 1000, at[1]]);
        at = [at[0] + (1000 * by) / (x1 - from[0]), at[1]];
    });
}

/** Regions filled by a click, and many by dragging. */
async function paints(page, url, id, { zoom, box, series }) {
    const now = await getJson(url, `/drawings/${id}`);
    const [x0, y0] = await onPage(page, now, [0, 0]);
    const [x1] = await onPage(page, now, [1000, 0]);
    const scale = (x1 - x0) / 1000;
    const free = { left: box.x + 120, right: box.x + box.width - 120, top: box.y + 110, low: box.y + box.height - 140 };
    const seen = now.regions
        .filter((r) => r.area > 80)
        .map((r) => [x0 + r.seed[0] * scale, y0 + r.seed[1] * scale])
        .filter(([x, y]) => x > free.left && x < free.right && y > free.top && y < free.low);
    const swatches = ['Skin', 'Kettle', 'Shell rim'];
    await page.getByRole('button', { name: swatches[0], exact: true }).click();
    await series(`${zoom}, regions filled`, 16, (k) => stroke(page, seen[(k * 37) % seen.length], [0, 0]));
    const across = free.right - free.left;
    await series(`${zoom}, many dragged over`, 6, async (k) => {
        await page.getByRole('button', { name: swatches[(k + 1) % 3], exact: true }).click();
        await stroke(page, [free.left, free.top + 60 + 40 * k], [across, 30]);
    });
    const painted = (await getJson(url, `/drawings/${id}`)).undo;
    console.log(`figure: 5,000 lines, ${zoom}: the last drag ${painted}`);
}

/** The share of each series that is run; `EDITS=all` runs them whole, for figures. */
const SHARE = process.env.EDITS === 'all' ? 1 : 0.25;

export const tests = {
    async 'edits in a drawing of 5000 lines show with their regions'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const drawing = await demoDrawing(url, 0, '070');
            const view = await getJson(url, `/drawings/${drawing.id}`);
            assert.equal(view.lines.length, 5000);
            assert.ok(view.regions.length > 20000, `${view.regions.length} regions`);
            await page.goto(`${url}/#/drawing/${drawing.id}/join`);
            await page.waitForFunction(() => /\d+ open/.test(document.body.innerText));
            const all = [];
            const ink = [];
            // What changes many lines at a time is told by itself.
            const many = /moved|eraser|calm|dragged/;
            const note = async (name, took, inked) => {
                if (!many.test(name)) {
                    all.push(...took);
                    ink.push(...inked);
                }
                const ms = (list, q) => quantile(list, q).toFixed(0);
                console.log(
                    `figure: 5,000 lines, ${name}: pointer up to regions ${ms(took, 0.5)} ms median, ${ms(took, 0.95)} ms p95; to the ink ${ms(inked, 0.5)} ms, ${ms(inked, 0.95)} ms; ${took.length} edits`,
                );
            };
            const box = await page.getByLabel('The drawing').boundingBox();
            const place = (k) => [
                box.x + box.width * (0.2 + 0.6 * ((k * 0.37) % 1)),
                box.y + box.height * (0.2 + 0.55 * ((k * 0.61) % 1)),
            ];
            const series = async (name, whole, act) => {
                const n = Math.ceil(whole * SHARE);
                const took = [];
                const inked = [];
                for (let k = 0; k < n; k++) {
                    await measured(page, 'edit to regions');
                    await measured(page, 'edit to ink');
                    await act(k);
                    took.push(...(await measured(page, 'edit to regions')).slice(0, 1));
                    inked.push(...(await measured(page, 'edit to ink')).slice(0, 1));
                }
                assert.ok(took.length >= Math.floor(0.9 * n), `${name}: only ${took.length} of ${n} were shown`);
                await note(name, took, inked);
            };
            for (const [zoom, key] of [
                ['1:1', '0'],
                ['whole sheet', 'f'],
            ]) {
                await page.keyboard.press(key);
                await page.waitForTimeout(1500);
                await page.getByRole('button', { name: 'Seam', exact: true }).click();
                await series(`${zoom}, seams`, 20, (k) => stroke(page, place(k), [46, 30]));
                await series(`${zoom}, steps back`, 8, async () => {
                    await page.keyboard.press('Control+z');
                    await shown(page);
                });
                await series(`${zoom}, steps forth`, 8, async () => {
                    await page.keyboard.press('Control+Shift+z');
                    await shown(page);
                });
                await page.keyboard.press('4');
                await measured(page, 'pen to ink');
                await series(`${zoom}, strokes of ink`, 20, (k) => stroke(page, place(k + 50), [120, 40]));
                const wet = await measured(page, 'pen to ink');
                console.log(
                    `figure: 5,000 lines, ${zoom}: pen to wet ink ${quantile(wet, 0.5).toFixed(1)} ms median, ${quantile(wet, 0.95).toFixed(1)} ms p95; ${wet.length} frames`,
                );
                await page.getByRole('button', { name: 'Erase', exact: true }).click();
                await series(`${zoom}, strokes of the eraser`, 16, (k) => stroke(page, place(k + 90), [90, 60]));
                for (const name of ['Redraw', 'Calm']) {
                    await page.getByRole('button', { name: 'Mend' }).click();
                    await page.getByRole('button', { name, exact: true }).click();
                    await series(`${zoom}, ${name.toLowerCase()}`, 16, (k) => stroke(page, place(k + 130), [70, 20]));
                }
                if (key === 'f') await moves(page, url, drawing.id, series);
                await page.keyboard.press('Escape');
                await page.keyboard.press('6');
                await paints(page, url, drawing.id, { zoom, box, series });
                await page.keyboard.press('5');
                await page.keyboard.press('Escape');
                await page.keyboard.press('j');
                await page.waitForTimeout(PACE);
                await series(`${zoom}, findings settled by key`, 12, async () => {
                    await page.keyboard.press('a');
                    await shown(page);
                });
            }
            console.log(
                `figure: 5,000 lines, all edits: pointer up to regions ${quantile(all, 0.5).toFixed(0)} ms median, ${quantile(all, 0.95).toFixed(0)} ms p95, ${Math.max(...all).toFixed(0)} ms worst; to the ink ${quantile(ink, 0.5).toFixed(0)} ms median, ${quantile(ink, 0.95).toFixed(0)} ms p95; ${all.length} edits`,
            );
            // With the longest gap as short as this a few hundred are left that are sure.
            const now = await getJson(url, `/drawings/${drawing.id}`);
            const recipes = { ...now.recipes, join: { ...now.recipes.join, longest_gap: 0.15, longest_tail: 0.1 } };
            await fetch(`${url}/api/drawings/${drawing.id}/commands`, {
                method: 'POST',
                headers: { 'x-rhizograph': '1', 'content-type': 'application/json' },
                body: JSON.stringify({
                    revision: now.info.revision,
                    numbering: 0,
                    command: { of: 'settings', do: 'recipes', recipes },
                }),
            });
            const button = page.getByRole('button', { name: /^Settle [3-9]\d\d sure/ });
            await button.waitFor();
            await page.waitForTimeout(1500);
            const sure = Number((await button.innerText()).match(/\d+/)[0]);
            await measured(page, 'edit to regions');
            await measured(page, 'edit to ink');
            await button.click();
            await shown(page);
            const [settled] = await measured(page, 'edit to regions');
            console.log(`figure: 5,000 lines: ${sure} sure findings settled in one go in ${settled.toFixed(0)} ms`);
            // To reach: 50 ms at p95, and 1 s for 300. What is refused here is far beyond what a busy machine explains.
            assert.ok(quantile(all, 0.95) < 4000, `${quantile(all, 0.95)} ms`);
            assert.ok(sure >= 300 && settled < 10_000, `${sure} in ${settled} ms`);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
