/**
 * The demo's shot from paper to what goes out ready: lifted and settled as a whole, painted from its first drawing, by keys.
 * Its first four drawings, or with WHOLE=1 all of them.
 */
import assert from 'node:assert/strict';
import { becomes, demo, getJson, openBrowser, saved } from '../browser.mjs';
import { paintFirst } from '../demo_paint.mjs';

const shot = async (url) => (await demo(url)).shots.find((s) => s.number === '012');

/** Walks what a drawing asks for at a station and answers each by a key; gives how many there were. */
async function settle(page, url, id, station, key) {
    await page.goto(`${url}/#/drawing/${id}/${station}`);
    await page.waitForURL(`**/drawing/${id}/${station}`);
    await saved(page);
    const open = async () => {
        const { progress } = (await getJson(url, `/drawings/${id}`)).info;
        return station === 'join' ? progress.join_open : progress.paint_open;
    };
    const there = await open();
    if (there > 0) await page.keyboard.press('j');
    for (let left = there; left > 0;) {
        await page.locator('[aria-label=Findings] [aria-current=true]').waitFor();
        await page.keyboard.press(key);
        await saved(page);
        left = await becomes(open, (n) => n < left, `open at ${station}`);
    }
    return there;
}

/** How much of a drawing each swatch fills, pixels. */
async function areas(url, id) {
    const all = {};
    for (const r of (await getJson(url, `/drawings/${id}`)).regions) {
        if (r.swatch) all[r.swatch] = (all[r.swatch] ?? 0) + r.area;
    }
    return all;
}

export const tests = {
    async 'the demo shot goes from paper to paint and out, with nothing left open'(url) {
        const { page, troubles, close } = await openBrowser();
        const began = performance.now();
        try {
            const { id, drawings: all } = await shot(url);
            const drawings = process.env.WHOLE ? all : all.slice(0, 4);
            for (const d of all.slice(drawings.length)) {
                await fetch(`${url}/api/away`, {
                    method: 'PUT',
                    headers: { 'x-rhizograph': '1', 'content-type': 'application/json' },
                    body: JSON.stringify({ what: 'drawing', id: d.id, away: true }),
                });
            }
            const [first, ...behind] = drawings;
            await page.goto(url);
            await page.getByRole('button', { name: `Lift ${drawings.length} drawings` }).click();
            const done = `${drawings.length} of ${drawings.length}`;
            await page.getByTestId('job-count').getByText(done).waitFor();
            await page.getByRole('button', { name: /^Settle \d+ sure ones$/ }).click();
            await page.getByRole('button', { name: 'Settle sure ones', disabled: true }).waitFor();
            let answered = 0;
            for (const d of drawings) answered += await settle(page, url, d.id, 'join', 'x');

            await page.goto(`${url}/#/drawing/${first.id}/paint`);
            await page.waitForURL(`**/drawing/${first.id}/paint`);
            await saved(page);
            await page.keyboard.press('f');
            await paintFirst(page, url, first.id);
            answered += await settle(page, url, first.id, 'paint', 'x');
            await page.goto(url);
            await page.getByRole('button', { name: `Carry paint to ${behind.length} drawings` }).click();
            const carried = async () => (await shot(url)).drawings.slice(1).map((d) => d.progress.carried);
            await becomes(carried, (all) => all.every((n) => n > 40), 'carried regions');
            // What is settled is carried on to those behind by itself.
            for (const d of behind) answered += await settle(page, url, d.id, 'paint', 'a');
            const atRest = (all) => all.every((j) => j.state !== 'running');
            await becomes(() => getJson(url, `/shots/${id}/jobs`), atRest, 'work in the background');
            const took = (performance.now() - began) / 1000;
            console.log(
                `interface: ${drawings.length} drawings ready after ${took.toFixed(0)} s, ${answered} answers by key`,
            );

            // All wear the colours of the first, but for what its limbs hide and what was taken as likeliest and is not.
            const model = await areas(url, first.id);
            const whole = Object.values(model).reduce((n, a) => n + a, 0);
            for (const d of behind) {
                const own = await areas(url, d.id);
                const off = Object.entries(model).reduce((n, [s, area]) => n + Math.abs((own[s] ?? 0) - area), 0);
                assert.ok(off < 0.12 * whole, `${d.name}: ${JSON.stringify(own)}, not ${JSON.stringify(model)}`);
            }

            await page.goto(url);
            await page.locator('main').getByText(`${drawings.length} ready`).waitFor();
            await page.getByRole('button', { name: `Hand off ${drawings.length} drawings` }).click();
            await page.waitForURL('**/hand-off');
            await page.getByText('is ready: every finding is settled').waitFor();
            assert.equal(await page.getByLabel('Hand off anyway').count(), 0, 'nothing is unready');
            await page
                .getByRole('button', { name: `Hand off ${drawings.length} drawings` })
                .last()
                .click();
            await page
                .getByTestId('outgoing')
                .getByText(/files in one ZIP/)
                .waitFor();
            const [job] = await getJson(url, `/shots/${id}/jobs`);
            const files = (await getJson(url, `/jobs/${job.id}/files`)).map((f) => f.name);
            for (const d of drawings) assert.ok(files.includes(`012_${d.name}_paint.png`), `${files}`);
            const report = await getJson(url, `/jobs/${job.id}/files/012.report.json`);
            assert.deepEqual(
                report.drawings.map((d) => [d.name, d.reasons]),
                drawings.map((d) => [d.name, []]),
            );
            assert.ok((await shot(url)).drawings.every((d) => d.handed_off));
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
