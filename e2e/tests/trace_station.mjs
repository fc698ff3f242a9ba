/** The Trace station: the live preview over the original, and tracing again that keeps what was made by hand. */
import assert from 'node:assert/strict';
import { becomes, demoDrawing, getJson, nudge, openAt, openBrowser, saved } from '../browser.mjs';

/** How many pixels of the canvas bear the loud tint. */
const loud = (page) =>
    page.evaluate(() => {
        const canvas = document.querySelector('canvas');
        const { data } = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height);
        let n = 0;
        for (let i = 0; i < data.length; i += 4) n += data[i] > 150 && data[i + 1] < 90 && data[i + 2] > 70 ? 1 : 0;
        return n;
    });

const shows = (page, of, wanted) => becomes(() => of(page), wanted, of.name);

const told = (page) => page.getByTestId('traced').innerText();
const solids = (text) => Number(/(\d+) solid/.exec(text)?.[1] ?? -1);

export const tests = {
    async 'a trace is seen over the original while its settings move, and its middles when looked at closely'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 5);
            await openAt(page, url, id, 'trace');
            const before = await shows(page, told, (t) => solids(t) >= 0);
            await shows(page, loud, (n) => n > 3000);
            // What is broader than the widest line is a solid.
            const slider = page.getByLabel('Widest line', { exact: true });
            await slider.fill('0.7');
            const after = await shows(page, told, (t) => solids(t) > solids(before) + 2);
            await saved(page);
            assert.equal((await getJson(url, `/drawings/${id}`)).recipes.trace.widest_line, 0.7);
            await slider.fill('4');
            await shows(page, told, (t) => t === before);
            assert.notEqual(after, before);
            // Small pieces stay out.
            const all = await shows(page, loud, (n) => n > 3000);
            await page.getByLabel('Smallest piece', { exact: true }).fill('2');
            await shows(page, loud, (n) => n < all);
            await page.getByLabel('Smallest piece', { exact: true }).fill('0');
            await saved(page);
            // Without the tint the lines are seen as ink.
            await page.keyboard.press('c');
            await shows(page, loud, (n) => n < 50);
            await page.keyboard.press('c');
            await page.keyboard.press('0');
            await shows(page, loud, (n) => n > 1000);
            const light = (page) =>
                page.evaluate(() => {
                    const canvas = document.querySelector('canvas');
                    const { data } = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height);
                    let n = 0;
                    for (let i = 0; i < data.length; i += 4)
                        n += data[i] === 247 && data[i + 1] === 242 && data[i + 2] === 230 ? 1 : 0;
                    return n;
                });
            const shown = await shows(page, light, (n) => n > 60);
            await page.getByLabel('Show middles and outlines').uncheck();
            await shows(page, light, (n) => n < shown / 2);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'tracing again says beforehand what it replaces, and keeps what was made by hand'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 5);
            const view = () => getJson(url, `/drawings/${id}`);
            await openAt(page, url, id, 'trace');
            await page.getByRole('button', { name: 'Trace', exact: true }).click();
            await page.getByRole('button', { name: /Settle \d+ sure/ }).click();
            await saved(page);
            const joined = await view();
            assert.ok(joined.handmade > 2, `${joined.handmade}`);
            await page.keyboard.press('3');
            await nudge(page, 'Follow the ink within', 6);
            const untouched = joined.lines.length - joined.handmade;
            await page.getByText(`replaces ${untouched} lines nobody touched; ${joined.handmade} made or`).waitFor();
            await page.getByRole('button', { name: 'Trace again' }).click();
            await page.getByRole('heading', { name: 'Join' }).waitFor();
            await saved(page);
            const again = await view();
            const kept = (v) => v.lines.filter((l) => l.made !== 'traced').map((l) => [l.id, l.path]);
            assert.deepEqual(kept(again), kept(joined));
            assert.equal(again.regions.length, joined.regions.length);
            assert.notDeepEqual(
                again.lines.map((l) => l.id),
                joined.lines.map((l) => l.id),
            );
            await page.keyboard.press('Control+z');
            await saved(page);
            assert.deepEqual((await view()).lines, joined.lines);
            // All afresh asks first.
            await page.keyboard.press('3');
            await page.getByRole('button', { name: 'Trace all afresh …' }).click();
            await page.getByText(/bridges? and changed lines away/).waitFor();
            await page.getByRole('button', { name: 'Keep them' }).click();
            await page.getByRole('button', { name: 'Trace all afresh …' }).click();
            await page.getByRole('button', { name: 'Trace all afresh', exact: true }).click();
            await page.getByRole('heading', { name: 'Join' }).waitFor();
            await saved(page);
            assert.equal((await view()).handmade, 0);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
