/** The Draw station: ink by pen and mouse, on what was traced and on a bare sheet. */
import assert from 'node:assert/strict';
import { becomes, colourAt, demo, nudge, onPage, openBrowser, saved } from '../browser.mjs';
import { bareSheet, penOf } from '../drawing.mjs';

const middle = (t) => [600 + 1100 * t, 900 - 420 * Math.sin(Math.PI * t)];

export const tests = {
    async 'a bare sheet is hung, inked by pen, and what is pressed harder is broader'(url) {
        const { page, context, troubles, close } = await openBrowser();
        try {
            const { bare, name, view } = await bareSheet(page, url);
            assert.match(name, /^[A-Z]-\d\d$/);
            const before = await view();
            assert.deepEqual([before.lines.length, before.traced, before.width], [0, true, 2400]);
            const pen = await penOf(context, page);
            const at = async (t) => onPage(page, before, middle(t));
            const asked = page.waitForRequest((r) => r.url().endsWith(`/drawings/${bare}/commands`));
            await pen.down(await at(0), 0.1);
            for (let k = 1; k <= 40; k++) await pen.move(await at(k / 40), 0.1 + 0.9 * Math.sin((Math.PI * k) / 40), k);
            // It is there before anybody answers: nothing was sent yet.
            await page.waitForFunction(() => {
                const canvas = [...document.querySelectorAll('main canvas')][1];
                const { data } = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height);
                return data.filter((v, i) => i % 4 === 3 && v > 200).length > 200;
            });
            await pen.up(await at(1));
            const { command } = (await asked).postDataJSON();
            assert.equal(command.of, 'draw');
            assert.equal(command.samples.length, 41);
            assert.ok(
                command.samples.every(([, , p]) => p >= 0.05),
                'with its pressure',
            );
            assert.ok(
                command.samples.some(([, , , tilt]) => tilt && tilt[0] >= 20),
                'with its tilt',
            );
            assert.ok(
                command.samples.every((s, k) => k === 0 || s[4] >= command.samples[k - 1][4]),
                'in time',
            );
            await saved(page);
            const after = await view();
            assert.deepEqual([after.lines.length, after.steps], [1, 1]);
            assert.deepEqual([after.lines[0].kind, after.lines[0].made], ['centreline', 'hand']);
            const json = await (await fetch(`${url}/api/drawings/${bare}/hand-off/drawing.json`)).json();
            const widths = json.lines[0].points.map((p) => p[2]);
            const broadest = Math.max(...widths);
            assert.ok(broadest > 6 && broadest < 7.3, `${broadest} px`);
            assert.ok(widths[0] < 0.6 * broadest && widths[widths.length - 1] < 0.6 * broadest, 'thin at its ends');
            const [x, y] = await at(0.5);
            const darkest = async () => {
                const seen = await Promise.all([-1, 0, 1].map((d) => colourAt(page, [x, y + d])));
                return Math.min(...seen.map((c) => c[0]));
            };
            await becomes(darkest, (d) => d < 120, 'its ink is seen');
            await page.keyboard.press('Control+z');
            await saved(page);
            assert.equal((await view()).lines.length, 0);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'ink is straight with Shift or held still, under what is there, and in a colour of the model'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { bare, view } = await bareSheet(page, url);
            const sheet = await view();
            const to = (x, y) => onPage(page, sheet, [x, y]);
            const path = async () => {
                await saved(page);
                const { lines } = await (await fetch(`${url}/api/drawings/${bare}/hand-off/drawing.json`)).json();
                return lines;
            };
            await page.keyboard.down('Shift');
            await page.mouse.move(...(await to(400, 400)));
            await page.mouse.down();
            await page.mouse.move(...(await to(1400, 460)), { steps: 5 });
            await page.mouse.up();
            await page.keyboard.up('Shift');
            const [level] = await path();
            const ys = level.points.map((p) => p[1]);
            assert.ok(Math.max(...ys) - Math.min(...ys) < 1, 'level');
            // A wavering hand that stays at its end.
            await nudge(page, 'Straight, held still', -14);
            await page.mouse.move(...(await to(400, 900)));
            await page.mouse.down();
            for (let k = 1; k <= 20; k++) {
                await page.mouse.move(...(await to(400 + 50 * k, 900 + 20 * k + 80 * Math.sin(k))));
            }
            await page.waitForTimeout(900);
            await page.mouse.up();
            const held = (await path())[1];
            const [a, b] = [held.points[0], held.points[held.points.length - 1]];
            const off = held.points.map(
                (p) =>
                    Math.abs((b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0])) /
                    Math.hypot(b[0] - a[0], b[1] - a[1]),
            );
            assert.ok(Math.max(...off) < 1, `${Math.max(...off)} px off its chord`);
            await page.getByLabel('Colour of the ink').selectOption({ label: 'Skin' });
            await page.getByRole('radio', { name: 'Under', exact: true }).click();
            await nudge(page, 'Line weight', 40);
            await page.mouse.move(...(await to(900, 300)));
            await page.mouse.down();
            await page.mouse.move(...(await to(900, 700)), { steps: 5 });
            await page.mouse.up();
            assert.equal((await path()).length, 3);
            const { swatches } = (await demo(url)).shots.find((s) => s.number === '012');
            const { colour } = swatches.find((s) => s.name === 'Skin');
            const near = (c, d) => c.slice(0, 3).every((v, k) => Math.abs(v - d[k]) < 12);
            const place = await to(900, 560);
            await becomes(
                () => colourAt(page, place),
                (c) => near(c, colour),
                `${colour}`,
            );
            // What was there lies over it.
            const crossing = await colourAt(page, await to(900, 400));
            assert.ok(crossing[0] < 110, `${crossing}`);
            const png = await fetch(`${url}/api/drawings/${bare}/hand-off/drawing.svg`);
            const hex = `#${colour.map((v) => v.toString(16).padStart(2, '0')).join('')}`;
            assert.ok((await png.text()).includes(`stroke="${hex}"`), 'handed off in its colour');
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'shapes are drawn from a corner or the middle, in proportion, as lines or filled'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { bare, view } = await bareSheet(page, url);
            const sheet = await view();
            const drag = async (tool, from, to, keys = []) => {
                await page.getByRole('button', { name: 'Shapes' }).click();
                await page.getByRole('button', { name: tool, exact: true }).click();
                for (const key of keys) await page.keyboard.down(key);
                await page.mouse.move(...(await onPage(page, sheet, from)));
                await page.mouse.down();
                await page.mouse.move(...(await onPage(page, sheet, to)), { steps: 4 });
                await page.mouse.up();
                for (const key of keys) await page.keyboard.up(key);
                await saved(page);
                return (await (await fetch(`${url}/api/drawings/${bare}/hand-off/drawing.json`)).json()).lines;
            };
            const boxOf = (points) => {
                const [xs, ys] = [points.map((p) => p[0]), points.map((p) => p[1])];
                return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)].map(Math.round);
            };
            const near = (box, want) =>
                assert.ok(
                    box.every((v, k) => Math.abs(v - want[k]) <= 4),
                    `${box} of ${want}`,
                );
            near(boxOf((await drag('Line', [300, 300], [900, 330], ['Shift']))[0].points), [300, 300, 900, 300]);
            near(boxOf((await drag('Rectangle', [300, 500], [700, 800]))[1].points), [300, 500, 700, 800]);
            // Square, around where it began.
            const square = (await drag('Rectangle', [1200, 700], [1500, 800], ['Shift', 'Alt']))[2];
            near(boxOf(square.points), [900, 400, 1500, 1000]);
            await page.getByRole('radio', { name: 'Both', exact: true }).click();
            const all = await drag('Ellipse', [1700, 500], [2200, 900]);
            assert.deepEqual(
                all.slice(3).map((l) => l.kind),
                ['outline', 'centreline'],
            );
            near(boxOf(all[4].points), [1700, 500, 2200, 900]);
            const view2 = await view();
            assert.equal(view2.steps, 4);
            // A click draws nothing.
            await page.mouse.click(...(await onPage(page, sheet, [400, 1200])));
            assert.equal((await view()).steps, 4);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'a bare sheet made beside a scan has it as its rough, dimmed, until it is taken away'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { bare, view } = await bareSheet(page, url);
            const sheet = await view();
            const chosen = page.getByLabel('Rough below', { exact: true });
            await page.waitForFunction(() => document.querySelector('[aria-label="Rough below"]')?.value !== '0');
            assert.equal(await chosen.locator('option:checked').innerText(), 'A-01');
            // How much of the sheet is not paper.
            const seen = async () => {
                const [[x0, y0], [x1, y1]] = [
                    await onPage(page, sheet, [0, 0]),
                    await onPage(page, sheet, [2400, 1800]),
                ];
                return page.evaluate(
                    ([x0, y0, x1, y1]) => {
                        const canvas = document.querySelector('canvas');
                        const box = canvas.getBoundingClientRect();
                        const at = [x0 - box.left + 4, y0 - box.top + 4, x1 - x0 - 8, y1 - y0 - 8].map(Math.round);
                        const { data } = canvas.getContext('2d').getImageData(...at);
                        let [sum, darkest] = [0, 255];
                        for (let k = 0; k < data.length; k += 4) {
                            sum += data[k + 2] < 200 ? 1 : 0;
                            darkest = Math.min(darkest, data[k]);
                        }
                        return { sum, darkest };
                    },
                    [x0, y0, x1, y1],
                );
            };
            const rough = await becomes(seen, (s) => s.sum > 500, 'the rough is seen');
            assert.ok(rough.darkest > 150, `its darkest is ${rough.darkest}`);
            await page.reload();
            await chosen.waitFor();
            await page.waitForFunction(() => document.querySelector('[aria-label="Rough below"]')?.value !== '0');
            await chosen.selectOption({ label: 'none' });
            await becomes(seen, (s) => s.sum === 0, 'the rough is gone');
            // It is only looked at: nothing of it is handed off.
            const { lines } = await (await fetch(`${url}/api/drawings/${bare}/hand-off/drawing.json`)).json();
            assert.equal(lines.length, 0);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'no event of a quick pen is lost, and the strip shows the pen as it is set'(url) {
        const { page, context, troubles, close } = await openBrowser();
        try {
            const { bare, view } = await bareSheet(page, url);
            const sheet = await view();
            const pen = await penOf(context, page);
            const [x0, y0] = await onPage(page, sheet, [0, 0]);
            const [x1] = await onPage(page, sheet, [1000, 0]);
            const onSheet = (x, y) => [x0 + (x * (x1 - x0)) / 1000, y0 + (y * (x1 - x0)) / 1000];
            const places = Array.from({ length: 1501 }, (_, k) =>
                onSheet(1200 + 700 * Math.cos(k / 90), 900 + 500 * Math.sin(k / 70)),
            );
            const asked = page.waitForRequest((r) => r.url().endsWith(`/drawings/${bare}/commands`));
            await pen.down(places[0], 0.5);
            await Promise.all([...places.slice(1).map((p) => pen.move(p, 0.5)), pen.up(places[1500])]);
            const { samples } = (await asked).postDataJSON().command;
            await saved(page);
            assert.equal(samples.length, 1501);
            assert.equal((await view()).lines.length, 1);
            const strip = page.getByLabel('A strip to try the pen on');
            const inked = () =>
                strip.evaluate((c) => {
                    const { data } = c.getContext('2d').getImageData(0, 0, c.width, c.height);
                    return data.filter((v, i) => i % 4 === 3 && v > 100).length;
                });
            const usual = await inked();
            assert.ok(usual > 100);
            await nudge(page, 'Line weight', 20);
            assert.ok((await inked()) > 1.3 * usual, 'broader');
            const box = await strip.boundingBox();
            await page.mouse.move(box.x + 20, box.y + 30);
            await page.mouse.down();
            await page.mouse.move(box.x + 60, box.y + 30, { steps: 4 });
            await page.mouse.up();
            assert.ok((await inked()) < 1.3 * usual, 'what was tried on it');
            await page.reload();
            await page.getByText(/1\.60 mm/).waitFor();
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'two fingers pan and zoom, and beside a pen no finger draws'(url) {
        const { page, context, troubles, close } = await openBrowser();
        try {
            const { view } = await bareSheet(page, url);
            const sheet = await view();
            const devices = await context.newCDPSession(page);
            const touch = (type, ...places) =>
                devices.send('Input.dispatchTouchEvent', {
                    type,
                    touchPoints: places.map(([x, y], id) => ({ x, y, id })),
                });
            const shown = async () =>
                Number(/(\d+) %/.exec(await page.getByTitle('The whole sheet (F)').innerText())[1]);
            const before = await shown();
            await touch('touchStart', [400, 300]);
            await touch('touchStart', [400, 300], [500, 300]);
            for (let k = 1; k <= 10; k++) await touch('touchMove', [400 - 5 * k, 300], [500 + 5 * k, 300]);
            await touch('touchEnd');
            assert.ok(Math.abs((await shown()) - 2 * before) <= 2, `${await shown()} % of ${before} %`);
            assert.equal((await view()).steps, 0, 'nothing is drawn');
            await page.keyboard.press('f');
            // One finger draws as long as no pen was seen.
            const at = (x, y) => onPage(page, sheet, [x, y]);
            const drag = async () => {
                await touch('touchStart', await at(600, 600));
                for (let k = 1; k <= 6; k++) await touch('touchMove', await at(600 + 100 * k, 640));
                await touch('touchEnd');
                await saved(page);
            };
            await drag();
            assert.equal((await view()).steps, 1);
            const pen = await penOf(context, page);
            await pen.down(await at(600, 1000), 0.6);
            for (let k = 1; k <= 6; k++) await pen.move(await at(600 + 100 * k, 1040), 0.6);
            await pen.up(await at(1200, 1040));
            await saved(page);
            assert.equal((await view()).steps, 2);
            await drag();
            assert.equal((await view()).steps, 2, 'a palm leaves nothing');
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
