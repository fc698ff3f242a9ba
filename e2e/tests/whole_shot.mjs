/** A shot as a whole: its table as the lead's view, its order, flipping, playing and the light table. */
import assert from 'node:assert/strict';
import {
    becomes,
    colourAt,
    demo,
    demoDrawing,
    getJson,
    measured,
    onPage,
    openBrowser,
    quantile,
    saved,
} from '../browser.mjs';
import { step } from '../drawing.mjs';

const hanging = async (url) => (await demo(url)).shots.find((s) => s.number === '012').drawings.map((d) => d.name);

export const tests = {
    async 'the table lifts all, settles what is sure and takes it back, lists what is asked for'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const all = (await demo(url)).shots.find((s) => s.number === '012').drawings;
            // Three are enough here: the others are taken out, and brought back at the end.
            await page.goto(url);
            for (const d of all.slice(3)) {
                await page.getByLabel(`More of ${d.name}`).click();
                await page.getByRole('button', { name: 'Take out' }).click();
                await page.getByLabel(`More of ${d.name}`).waitFor({ state: 'detached' });
            }
            assert.equal((await hanging(url)).length, 3);
            const { recipes } = await getJson(url, `/drawings/${all[0].id}`);
            await step(url, all[0].id, { of: 'trace', do: 'prepare', recipes });
            await page.getByRole('button', { name: 'Lift 2 drawings' }).click();
            await page.getByTestId('job-count').getByText('3 of 3').waitFor();
            const sure = page.getByRole('button', { name: /^Settle \d+ sure ones?$/ });
            await sure.waitFor();
            const before = await Promise.all(all.slice(0, 3).map((d) => getJson(url, `/drawings/${d.id}`)));
            const count = before.reduce((n, v) => n + v.info.progress.sure, 0);
            assert.ok(count > 5, `${count} sure ones`);
            assert.equal(await sure.innerText(), `Settle ${count} sure ones`);
            await sure.click();
            const job = page.getByLabel('In the background').locator('div', { hasText: 'Settle what is sure' }).first();
            await job.getByText(/^A-01: .*(gaps? closed|tails? cut)/).waitFor();
            await page.getByRole('button', { name: 'Settle sure ones', disabled: true }).waitFor();
            await job.getByRole('button', { name: 'Undo in 3 drawings' }).click();
            const back = page
                .getByLabel('In the background')
                .locator('div', { hasText: 'Undo in all drawings' })
                .first();
            await back.getByText('3 of 3').waitFor();
            await sure.waitFor();
            for (const v of before) {
                const now = await getJson(url, `/drawings/${v.info.id}`);
                assert.deepEqual(now.lines, v.lines);
            }

            // Listed by what is open, and found none.
            const rows = page.getByTestId('row');
            const show = page.getByLabel('Which drawings are shown');
            assert.equal(await rows.count(), 3);
            await show.selectOption('ready');
            await page.getByText('None of the 3 drawings is like that.').waitFor();
            await page.getByRole('button', { name: 'Show all' }).click();
            await show.selectOption('tail');
            const withTails = before.filter((v) => v.info.progress.open.tail).length;
            assert.equal(await rows.count(), withTails);
            await show.selectOption('all');

            // Named anew, one and all.
            await page.getByLabel('More of A-02').click();
            await page.getByRole('button', { name: 'Name it anew' }).click();
            await page.getByLabel('Name of A-02').fill('A-02b');
            await page.keyboard.press('Enter');
            await page.getByLabel('Open A-02b').waitFor();
            await page.getByRole('button', { name: 'Renumber', exact: true }).click();
            await page.getByLabel('First').fill('10');
            await page.getByLabel('Step').fill('2');
            await page.getByTestId('numbers').getByText('A-10, A-12, A-14').waitFor();
            await page.getByRole('button', { name: 'Renumber 3 as they hang' }).click();
            await page.getByLabel('Open A-14').waitFor();

            // A copy, and what was taken out comes back.
            await page.getByLabel('More of A-12').click();
            await page.getByRole('button', { name: 'Duplicate' }).click();
            await page.getByLabel('Open A-12 copy').waitFor();
            await page.getByRole('button', { name: 'Put away', exact: true }).click();
            const away = page.getByRole('list', { name: 'Put away' });
            await away.getByRole('listitem').nth(4).waitFor();
            for (const left of [5, 4, 3, 2, 1]) {
                assert.equal(await away.getByRole('listitem').count(), left);
                await away.getByRole('button', { name: 'bring back' }).first().click();
                await page.waitForFunction(
                    (n) => document.querySelectorAll('[aria-label="Put away"] li button').length === n,
                    left - 1,
                );
            }
            await away.getByText('Nothing is put away.').waitFor();
            assert.deepEqual((await hanging(url)).slice(0, 4), ['A-04', 'A-05', 'A-06', 'A-07']);
            assert.equal((await hanging(url)).length, 9);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'shots are named, copied, put away and brought back'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            await page.goto(url);
            await page.getByRole('button', { name: /^013/ }).click();
            await page.getByRole('heading', { name: 'By the kitchen window' }).waitFor();
            const nav = page.getByRole('navigation', { name: 'Shots' });
            await nav.getByRole('button', { name: 'copy', exact: true }).last().click();
            await page.getByPlaceholder('Number, 014').fill('013');
            await page.getByPlaceholder('Name', { exact: true }).fill('At night');
            await page.getByRole('button', { name: 'Copy colours and settings' }).click();
            await page.getByRole('alert').getByText('already taken').waitFor();
            await page.getByPlaceholder('Number, 014').fill('013b');
            await page.getByRole('button', { name: 'Copy colours and settings' }).click();
            await page.getByRole('heading', { name: 'At night' }).waitFor();
            const of = async (n) => (await demo(url)).shots.find((s) => s.number === n);
            assert.deepEqual((await of('013b')).swatches, (await of('013')).swatches);
            await nav.getByRole('button', { name: 'put away', exact: true }).last().click();
            await page.getByRole('button', { name: /^013b/ }).waitFor({ state: 'detached' });
            await nav.getByRole('button', { name: 'Put away', exact: true }).click();
            const put = nav.getByRole('list', { name: 'Put away' }).getByRole('listitem').filter({ hasText: '013b' });
            await put.getByRole('button', { name: 'bring back' }).click();
            await page.getByRole('button', { name: /^013b/ }).click();
            await nav.getByRole('button', { name: 'rename', exact: true }).last().click();
            await page.getByPlaceholder('Name', { exact: true }).fill('At dawn');
            await page.getByRole('button', { name: 'Rename the shot' }).click();
            await page.getByRole('heading', { name: 'At dawn' }).waitFor();
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'neighbours lie on the light table, are flipped to at once and play without leaving frames out'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id, name } = await demoDrawing(url, 1);
            const all = (await demo(url)).shots.find((s) => s.number === '012').drawings;
            for (const d of all) {
                const { recipes, traced } = await getJson(url, `/drawings/${d.id}`);
                if (!traced) await step(url, d.id, { of: 'trace', do: 'prepare', recipes });
            }
            await page.goto(`${url}/#/drawing/${id}/join`);
            await saved(page);
            await page.getByText('2400 × 1800 px').waitFor();
            const instead = (id) =>
                page.waitForFunction((id) => document.querySelector('canvas')?.dataset.instead === String(id), id);
            // Time for what is flipped to to come.
            await page.waitForTimeout(2500);
            await measured(page, 'key to flip');
            const took = [];
            for (const [key, to] of [...'opopopop'].map((k) => [k, k === 'o' ? all[0] : all[2]])) {
                await page.keyboard.down(key);
                await instead(to.id);
                await page.getByTestId('flipped').getByText(to.name, { exact: true }).waitFor();
                await page.keyboard.up(key);
                await instead(0);
                took.push(...(await measured(page, 'key to flip')));
            }
            console.log(
                `interface: flipping takes ${quantile(took, 0.5).toFixed(1)} ms, at most ${Math.max(...took).toFixed(1)}`,
            );
            assert.ok(took.length >= 8 && quantile(took, 0.5) < 34, `${took}`);

            // The light table shows where the neighbours' ink lies, and the drawing is not changed by being shifted.
            const steps = (await getJson(url, `/drawings/${id}`)).steps;
            const size = { width: 2400, height: 1800 };
            const at = await onPage(page, size, [1850, 640]);
            const pixels = () =>
                page.evaluate(() => {
                    const c = document.querySelector('canvas');
                    const { data } = c.getContext('2d').getImageData(0, 0, c.width, c.height);
                    let warm = 0;
                    let cool = 0;
                    for (let i = 0; i < data.length; i += 4) {
                        const [r, , b] = [data[i], data[i + 1], data[i + 2]];
                        if (r > b + 40) warm++;
                        if (b > r + 30) cool++;
                    }
                    return [warm, cool];
                });
            const bare = await pixels();
            await page.keyboard.press('h');
            await page.getByRole('group', { name: 'Light table' }).waitFor();
            await becomes(pixels, ([w, c]) => w > bare[0] + 300 && c > bare[1] + 300, `more than ${bare}`);
            await page.getByLabel('Drawings before').selectOption('0');
            await becomes(pixels, ([w, c]) => w < bare[0] + 100 && c > bare[1] + 300, 'only those behind');
            await page.getByRole('button', { name: 'Shift', exact: true }).click();
            await page.mouse.move(...at);
            await page.mouse.down();
            await page.mouse.move(at[0] + 40, at[1] + 10, { steps: 4 });
            await page.mouse.up();
            await page.getByRole('button', { name: /mm off · back/ }).click();
            await page.keyboard.press('Escape');
            assert.equal((await getJson(url, `/drawings/${id}`)).steps, steps);
            await page.keyboard.press('h');

            // Played: each drawing for its frames, in their order.
            await fetch(`${url}/api/drawings/${all[2].id}/hold`, {
                method: 'PUT',
                headers: { 'x-rhizograph': '1', 'content-type': 'application/json' },
                body: JSON.stringify({ frames: 3 }),
            });
            await page.getByTitle('Held for 3 frames').waitFor();
            const frames = all.length + 2;
            await page.getByRole('button', { name: 'Play', exact: true }).click();
            await page.getByLabel('Frames a second').selectOption('24');
            await page.getByTestId('kept').waitFor();
            const seen = await page.evaluate(async () => {
                const out = [];
                const until = performance.now() + 2500;
                while (performance.now() < until) {
                    const told = document.querySelector('[data-testid=frame]')?.textContent ?? '';
                    const frame = Number(/frame (\d+)/.exec(told)?.[1]);
                    if (out[out.length - 1] !== frame) out.push(frame);
                    await new Promise(requestAnimationFrame);
                }
                return out;
            });
            assert.ok(seen.length > 20, `${seen}`);
            assert.ok(
                seen.every((f, k) => k === 0 || f === (seen[k - 1] % frames) + 1),
                `a frame was left out: ${seen}`,
            );
            console.log(`interface: plays ${(seen.length / 2.5).toFixed(1)} frames a second of 24`);
            // Whoever draws sees the drawing in hand again.
            await page.mouse.click(...at);
            await instead(0);
            assert.ok(await colourAt(page, at));

            // Hung elsewhere by keys and by dragging.
            await page.getByTitle(new RegExp(`^${name}:`)).focus();
            await page.keyboard.press('Alt+ArrowLeft');
            await page.waitForFunction((n) => document.querySelector('footer li b')?.textContent === n, name);
            const hung = async () =>
                page.locator('footer li b').evaluateAll((all) => all.map((b) => b.textContent).filter(Boolean));
            const [, second, third] = await hung();
            await page.getByTitle(new RegExp(`^${name}:`)).dragTo(page.getByTitle(new RegExp(`^${third}:`)), {
                targetPosition: { x: 90, y: 40 },
            });
            await page.waitForFunction((n) => document.querySelector('footer li b')?.textContent === n, second);
            assert.deepEqual((await hung()).slice(0, 3), [second, third, name]);
            assert.deepEqual((await hanging(url)).slice(0, 3), [second, third, name]);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
