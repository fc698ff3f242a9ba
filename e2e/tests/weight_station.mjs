/** The Weight station: the lifted ink thicker and thinner, the strip of variants, the weight of traced lines. */
import assert from 'node:assert/strict';
import { becomes, demoDrawing, getJson, nudge, onPage, openAt, openBrowser, saved } from '../browser.mjs';

/** How many pixels of the canvas are dark. */
const dark = (page) =>
    page.evaluate(() => {
        const canvas = document.querySelector('canvas');
        const { data } = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height);
        let n = 0;
        for (let i = 0; i < data.length; i += 4) n += data[i] < 110 ? 1 : 0;
        return n;
    });

const darkBecomes = (page, wanted) => becomes(() => dark(page), wanted, 'dark pixels');

export const tests = {
    async 'the ink gets thicker by slider and by variant, thinner with a floor, and only where it is painted'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 2);
            const weight = async () => (await getJson(url, `/drawings/${id}`)).recipes.weight;
            await openAt(page, url, id, 'weight');
            const plain = await darkBecomes(page, (n) => n > 2000);
            await nudge(page, 'Each edge moves by', 30);
            assert.ok(Math.abs((await weight()).amount - 0.15) < 1e-9);
            const thick = await darkBecomes(page, (n) => n > 1.3 * plain);
            await page.getByRole('radio', { name: 'Inward' }).click();
            await saved(page);
            await darkBecomes(page, (n) => n < thick && n > plain);
            await page.getByRole('button', { name: 'Take outward only' }).click();
            await saved(page);
            assert.deepEqual(await weight(), { amount: 0.15, placement: 'outward', floor: 0.1 });
            await page.getByRole('radio', { name: 'Both sides' }).click();
            await page.getByRole('button', { name: 'Take −0.08 mm' }).click();
            await saved(page);
            assert.equal((await weight()).amount, -0.08);
            await darkBecomes(page, (n) => n < 0.8 * plain);
            await nudge(page, 'No line thinner than', 30);
            assert.ok(Math.abs((await weight()).floor - 0.4) < 1e-9);

            // Variants are pictures, not blanks, and differ.
            const sums = await page.getByTestId('variants').evaluate((box) =>
                [...box.querySelectorAll('canvas')].map((c) => {
                    const { data } = c.getContext('2d').getImageData(0, 0, c.width, c.height);
                    let n = 0;
                    for (let i = 0; i < data.length; i += 4) n += data[i] < 110 ? 1 : 0;
                    return n;
                }),
            );
            assert.ok(sums[0] < sums[1] && sums[1] < sums[2] && sums[2] < sums[3], `${sums}`);

            await page.getByRole('button', { name: 'Take +0.20 mm' }).click();
            await saved(page);
            const all = await darkBecomes(page, (n) => n > 1.3 * plain);
            await page.getByRole('button', { name: 'paint an area' }).click();
            await page.getByLabel('Show', { exact: true }).uncheck();
            const view = await getJson(url, `/drawings/${id}`);
            const [x, y] = await onPage(page, view, [1000, 800]);
            await page.mouse.move(x, y);
            await page.mouse.down();
            await page.mouse.move(x + 60, y + 20, { steps: 5 });
            await page.mouse.up();
            await saved(page);
            await page.getByText('The painted area limits the change.').waitFor();
            await darkBecomes(page, (n) => n < 0.8 * all && n > plain);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'specks that would be thickened are told before, and the traced lines have the weight that was shown'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 5);
            await openAt(page, url, id, 'lift');
            await nudge(page, 'Specks under', -12);
            await page.keyboard.press('2');
            await page.getByRole('button', { name: 'Take +0.10 mm' }).click();
            await page.getByText(/specks would be thickened too/).waitFor();
            await page.getByRole('button', { name: 'Take them away at Lift' }).click();
            await nudge(page, 'Specks under', 12);
            await page.getByRole('button', { name: 'Lift and trace' }).click();
            await page.getByRole('button', { name: /Settle \d+ sure/ }).waitFor();
            await page.keyboard.press('2');
            const view = () => getJson(url, `/drawings/${id}`);
            const before = await view();
            assert.equal(before.stale, false);

            // One line by click, then all.
            await page.getByRole('radio', { name: 'Traced lines' }).click();
            const line = before.lines.find((l) => l.kind === 'centreline' && l.path.length > 200);
            const [, x, y] = line.path.match(/^M([-\d.]+) ([-\d.]+)/).map(Number);
            await page.getByRole('button', { name: 'Choose lines' }).click();
            await page.mouse.click(...(await onPage(page, before, [x, y])));
            await page.getByText(/^1 of \d+ lines chosen/).waitFor();
            await page.getByRole('radio', { name: 'Scale' }).click();
            await page.getByRole('button', { name: 'Weigh 1 line' }).click();
            await saved(page);
            let now = await view();
            assert.equal(now.undo, 'weighed 1 line');
            assert.equal(now.lines.filter((l) => l.made === 'edited').length, 1);
            for (const how of ['Calm', 'Taper', 'Clamp', 'Add', 'Set']) {
                await page.getByRole('radio', { name: how, exact: true }).click();
                await page.getByRole('button', { name: /^All \d+/ }).click();
                await saved(page);
            }
            now = await view();
            assert.match(now.undo, /weighed \d+ lines/);
            assert.equal(now.steps - before.steps, 6);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
