/** Two people on one drawing, each with a page: they see each other, and neither disturbs or overwrites the other. */
import assert from 'node:assert/strict';
import { getJson, onPage, openBrowser, quantile, saved } from '../browser.mjs';
import { between, sheetWith, step } from '../drawing.mjs';

const PEN = { width: 8, steadying: 0, follows: { by: 'steady' }, tilt: 0, grain: 1 };
const inked = (places) => ({
    of: 'draw',
    do: 'ink',
    samples: places.map(([x, y]) => [x, y, null, null, null]),
    pen: PEN,
    swatch: null,
    under: false,
    fuse: false,
});

async function called(page, name) {
    await page.getByLabel('Who you are').click();
    await page.getByLabel('Your name').fill(name);
    await page.getByLabel('Colour 3').click();
    await page.getByRole('button', { name: 'Save', exact: true }).click();
}

const stepsOn = (page, n) =>
    page.waitForFunction((n) => document.querySelector('[data-testid=saved]')?.textContent.includes(`step ${n}`), n, {
        polling: 10,
    });

export const tests = {
    async 'two people see each other, and what one does comes to the other as a patch while a stroke is in hand'(url) {
        const [one, two] = [await openBrowser(), await openBrowser()];
        try {
            const strokes = [between([400, 400], [2000, 420]), between([1200, 200], [1210, 1600])];
            const { id, view } = await sheetWith(one.page, url, strokes);
            await two.page.goto(`${url}/#/drawing/${id}/draw`);
            await saved(two.page);
            await stepsOn(two.page, 2);
            await called(one.page, 'Ada Reed');
            await called(two.page, 'Ida Moor');
            await two.page
                .getByTestId('people')
                .getByLabel(/^Ada Reed, on B-/)
                .waitFor();
            await one.page
                .getByTestId('people')
                .getByLabel(/^Ida Moor, on B-/)
                .waitFor();

            // Ida's stroke is on its way over the sheet while Ada's lands.
            const whole = [];
            two.page.on('request', (r) => {
                if (new URL(r.url()).pathname === `/api/drawings/${id}`) whole.push(r.url());
            });
            const size = await view();
            const at = (page, p) => onPage(page, size, p);
            await two.page.mouse.move(...(await at(two.page, [500, 1300])));
            await two.page.mouse.down();
            await two.page.mouse.move(...(await at(two.page, [700, 1320])), { steps: 5 });
            await one.page.mouse.move(...(await at(one.page, [1500, 700])));
            await one.page.mouse.down();
            await one.page.mouse.move(...(await at(one.page, [1900, 760])), { steps: 5 });
            await one.page.mouse.up();
            await saved(one.page);
            await stepsOn(two.page, 3);
            await two.page.mouse.move(...(await at(two.page, [900, 1300])), { steps: 5 });
            await two.page.mouse.up();
            await saved(two.page);
            await stepsOn(one.page, 4);
            const both = await view();
            assert.equal(both.lines.length, 4);
            const [, , ada, ida] = both.lines.map((l) => l.bounds);
            assert.ok(ada[0] > 1400 && ida[0] < 520 && ida[2] > 880, `${ada} ${ida}`);
            assert.deepEqual(whole, [], 'the whole of it was asked for again');

            // Each takes back their own.
            await one.page.keyboard.press('Control+z');
            await saved(one.page);
            const left = await view();
            assert.deepEqual(
                left.lines.map((l) => l.bounds),
                [both.lines[0].bounds, both.lines[1].bounds, ida],
            );
            assert.deepEqual([one.troubles, two.troubles], [[], []]);
        } finally {
            await Promise.all([one.close(), two.close()]);
        }
    },

    async 'a step that touches the same is told with who did what, and one that does not comes soon'(url) {
        const [one, two] = [await openBrowser(), await openBrowser()];
        try {
            const strokes = [between([400, 400], [2000, 420]), between([1200, 200], [1210, 1600])];
            const { id, view } = await sheetWith(one.page, url, strokes);
            await called(one.page, 'Ada Reed');
            await two.page.goto(`${url}/#/drawing/${id}/draw`);
            await saved(two.page);
            const [level] = (await view()).lines;
            await two.page.getByRole('button', { name: 'Take in hand', exact: true }).click();
            const size = await view();
            await two.page.mouse.click(...(await onPage(two.page, size, [700, 404])));
            await two.page.getByTestId('in-hand').getByText('1 line').waitFor();
            // Ida does not hear of it: her page is told nothing while Ada takes the line away.
            const events = '**/api/**/since**';
            await two.page.route(events, (r) => r.abort());
            const author = await one.page.evaluate(() => localStorage.getItem('author'));
            const { info } = await view();
            const took = await fetch(`${url}/api/drawings/${id}/commands`, {
                method: 'POST',
                headers: {
                    'x-rhizograph': '1',
                    'x-rhizograph-author': author,
                    'content-type': 'application/json',
                },
                body: JSON.stringify({
                    revision: info.revision,
                    numbering: 0,
                    command: { of: 'hold', do: 'take_away', lines: [level.id] },
                }),
            });
            assert.equal(took.status, 200, await took.text());
            await two.page.keyboard.press('Delete');
            await two.page.getByText(/Nothing was overwritten\. Since then: .* by Ada Reed/).waitFor();
            await two.page.unroute(events);
            await stepsOn(two.page, 3);

            // How soon another's step is shown.
            const ms = [];
            for (let n = 0; n < 9; n++) {
                const x = 300 + 180 * n;
                const shown = stepsOn(two.page, 4 + n).then(() => Date.now());
                await step(url, id, inked(between([x, 900], [x + 60, 1000])));
                const done = Date.now();
                ms.push((await shown) - done);
            }
            console.log(`interface: another's step is shown after ${quantile(ms, 0.5)} ms, at most ${Math.max(...ms)}`);
            assert.ok(quantile(ms, 0.5) < 200, `${ms}`);
            assert.equal((await getJson(url, `/drawings/${id}`)).lines.length, 10);
        } finally {
            await Promise.all([one.close(), two.close()]);
        }
    },
};
