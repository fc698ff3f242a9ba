/** What helps a hand at Draw: a view that is turned, guides, snaps, paths by clicks, copies along a way, tidying, the rough. */
import assert from 'node:assert/strict';
import { getJson, onPage, openBrowser, saved } from '../browser.mjs';
import { bareSheet, between, boxOf, near, sheetWith, step } from '../drawing.mjs';

async function opened(page, url, strokes) {
    const sheet = await sheetWith(page, url, strokes);
    const size = await sheet.view();
    const to = (p) => onPage(page, size, p);
    const drag = async (from, path, keys = []) => {
        await page.mouse.move(...from);
        for (const key of keys) await page.keyboard.down(key);
        await page.mouse.down();
        for (const p of path) await page.mouse.move(...p, { steps: 4 });
        await page.mouse.up();
        for (const key of keys) await page.keyboard.up(key);
        await saved(page);
    };
    const press = async (name) => {
        await page.getByRole('button', { name, exact: true }).click();
        await saved(page);
    };
    const shape = async (name) => {
        if (!(await page.getByRole('button', { name, exact: true }).count()))
            await page.getByRole('button', { name: 'Shapes' }).click();
        await press(name);
    };
    /** A straight line from one place of the sheet to another. */
    const line = async (from, end, keys = []) => {
        await shape('Line');
        await drag(await to(from), [await to(end)], keys);
        const all = await sheet.lines();
        return all[all.length - 1].points;
    };
    return { ...sheet, size, to, drag, press, shape, line };
}

const ends = (points) => [points[0].slice(0, 2), points[points.length - 1].slice(0, 2)];

export const tests = {
    async 'the rough is moved, turned and tinted, and lies so again'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { view } = await bareSheet(page, url);
            const size = await view();
            await page.waitForFunction(() => document.querySelector('[aria-label="Rough below"]')?.value !== '0');
            const lies = () => page.getByTestId('rough-lies').innerText();
            const drag = async (from, end, keys = []) => {
                for (const key of keys) await page.keyboard.down(key);
                await page.mouse.move(...(await onPage(page, size, from)));
                await page.mouse.down();
                await page.mouse.move(...(await onPage(page, size, end)), { steps: 5 });
                await page.mouse.up();
                for (const key of keys) await page.keyboard.up(key);
            };
            assert.equal(await lies(), '0.0, 0.0 mm · 0.0°');
            await page.getByRole('button', { name: 'Lay it', exact: true }).click();
            await drag([900, 900], [900 + 20 * (300 / 25.4), 900]);
            const [, across] = /^([\d.]+), 0\.0 mm/.exec(await lies());
            near([Number(across)], [20], 0.4);
            // A quarter turn about its middle.
            const middle = 1200 + 20 * (300 / 25.4);
            await drag([middle + 500, 900], [middle, 1400], ['Shift']);
            near([Number(/([\d.]+)°/.exec(await lies())[1])], [90], 0.6);
            await page.getByRole('radio', { name: 'blue' }).click();
            await page.reload();
            await page.getByTestId('rough-lies').waitFor();
            near([Number(/([\d.]+)°/.exec(await lies())[1])], [90], 0.6);
            await page.getByRole('radio', { name: 'blue', checked: true }).waitFor();
            await page.getByRole('button', { name: 'As it lay' }).click();
            assert.equal(await lies(), '0.0, 0.0 mm · 0.0°');
            assert.equal((await getJson(url, `/drawings/${size.info.id}`)).steps, 0);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'in a view that is turned and mirrored ink lies where it is drawn, and the drawing stays'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { size, to, drag, press, lines } = await opened(page, url, [between([300, 300], [900, 300])]);
            const before = await lines();
            for (let k = 0; k < 3; k++) await page.keyboard.press(')');
            await page.getByRole('button', { name: '45°' }).waitFor();
            await page.keyboard.press('m');
            await page.getByRole('button', { name: '-45°' }).waitFor();
            // Where a place of the sheet lies now: mirrored, then turned about the sheet's middle.
            const [middle, beside] = [await to([1200, 900]), await to([2200, 900])];
            const scale = (beside[0] - middle[0]) / 1000;
            const seen = ([x, y]) => {
                const [u, v] = [-(x - 1200) * scale, (y - 900) * scale];
                const [c, s] = [Math.cos(-Math.PI / 4), Math.sin(-Math.PI / 4)];
                return [middle[0] + c * u - s * v, middle[1] + s * u + c * v];
            };
            await press('Ink');
            await drag(seen([700, 1000]), [seen([1500, 700])]);
            assert.equal((await lines()).length, 2);
            const drawn = (await lines())[1].points;
            near(drawn[0].slice(0, 2), [700, 1000]);
            near(drawn[drawn.length - 1].slice(0, 2), [1500, 700]);
            assert.deepEqual((await lines())[0], before[0]);
            // Handles stand at the corners of the box as it lies.
            await press('Take in hand');
            await page.mouse.click(...seen([1100, 850]));
            assert.match(await page.getByTestId('in-hand').innerText(), /^1 line/);
            await drag(seen([900, 925]), [seen([900, 1225])]);
            near(boxOf((await lines())[1]), [700, 1000, 1500, 1300]);
            // Level again, all is as it was seen first.
            await page.keyboard.press('l');
            await page.getByRole('button', { name: '0°', exact: true }).waitFor();
            await press('Ink');
            await drag(await to([400, 1500]), [await to([900, 1500])]);
            near((await lines())[2].points[0].slice(0, 2), [400, 1500]);
            assert.equal(size.width, 2400);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'two fingers turn the view, and what is almost level is set straight'(url) {
        const { page, context, troubles, close } = await openBrowser();
        try {
            await opened(page, url, [between([300, 300], [900, 300])]);
            const devices = await context.newCDPSession(page);
            const touch = (type, ...points) =>
                devices.send('Input.dispatchTouchEvent', {
                    type,
                    touchPoints: points.map(([x, y], id) => ({ x, y, id })),
                });
            const turned = async (angle) => {
                const at = (a) => [
                    [480 - 150 * Math.cos(a), 350 - 150 * Math.sin(a)],
                    [480 + 150 * Math.cos(a), 350 + 150 * Math.sin(a)],
                ];
                await touch('touchStart', ...at(0));
                for (let k = 1; k <= 10; k++) await touch('touchMove', ...at((angle * k) / 10));
                await touch('touchEnd');
            };
            await turned((25 * Math.PI) / 180);
            await page.getByRole('button', { name: '25°', exact: true }).waitFor();
            await turned((-23 * Math.PI) / 180);
            await page.getByRole('button', { name: '0°', exact: true }).waitFor();
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'ink catches ends, what is level and plumb, what leads on, touches lines, and nothing with Ctrl'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const arc = Array.from({ length: 60 }, (_, k) => [
                1500 + 300 * Math.cos(k / 10 + 0.2),
                1300 + 300 * Math.sin(k / 10 + 0.2),
            ]);
            const { line, press, to, drag, lines } = await opened(page, url, [
                between([400, 500], [800, 400]),
                between([1500, 300], [1700, 700]),
                arc,
            ]);
            // The corner of level and plumb with two ends.
            near(ends(await line([500, 900], [1694, 404]))[1], [1700, 400], 1.5);
            // On the way on of the first line, beyond its end.
            near(ends(await line([1000, 700], [1120, 326]))[1], [1120.0, 320.0], 2.5);
            // The tangent to the circle from a place left of it: as far from its middle as the radius.
            const [from, at] = ends(await line([900, 1250], [1380, 1022]));
            const [u, v] = [at[0] - from[0], at[1] - from[1]];
            const off = Math.abs(u * (1300 - from[1]) - v * (1500 - from[0])) / Math.hypot(u, v);
            near([off], [300], 1.5);
            near(ends(await line([300, 1500], [408, 506], ['Control']))[1], [408, 506], 2);
            near(ends(await line([650, 900], [1693, 580]))[1], [1700, 580], 3);
            // What is told not to be caught is not.
            await page.getByRole('switch', { name: 'level, plumb' }).click();
            near(ends(await line([600, 900], [1693, 860]))[1], [1693, 860], 3);
            await page.reload();
            await page.getByRole('switch', { name: 'level, plumb', checked: false }).waitFor();
            // A free hand catches ends and lines.
            await press('Ink');
            await drag(await to([805, 405]), [await to([820, 640])]);
            near((await lines()).at(-1).points[0].slice(0, 2), [800, 400], 1.5);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'guides are pulled from the edges, moved, turned and pushed back, and ink meets where they cross'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { line, to, drag, shape } = await opened(page, url, []);
            await shape('Line');
            const box = await page.getByLabel('The drawing').boundingBox();
            const [x, y] = await to([1200, 700]);
            await drag([x, box.y + 5], [[x, y]]);
            await drag([box.x + 5, y], [[x, y]]);
            await page.getByText('2 guides over the shot').waitFor();
            near(ends(await line([300, 1500], [1206, 705]))[1], [1200, 700], 2);
            // The level one is turned about its first bead, in steps.
            const beads = [box.x + 58, box.x + box.width - 44];
            await drag(
                [beads[1], y],
                [
                    [beads[0] + 400, y + 260],
                    [beads[0] + 400, y + 230.9],
                ],
                ['Shift'],
            );
            const guides = await page.evaluate(() => Object.values(JSON.parse(localStorage.getItem('guides')))[0]);
            near([(guides[0].angle * 180) / Math.PI], [30], 0.01);
            await page.reload();
            await page.getByText('2 guides over the shot').waitFor();
            // The other one is pushed back over the edge.
            await drag([x, box.y + 58], [[box.x + 4, box.y + 200]]);
            await page.getByText('1 guide over the shot').waitFor();
            await page.getByRole('button', { name: 'Take them away' }).click();
            await page.getByText('Pull guides from the rulers').waitFor();
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'a path is set by clicks, with curves, open or closed, a point taken back'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { lines, to, drag, shape, view } = await opened(page, url, []);
            await shape('Curves');
            const click = async (p) => page.mouse.click(...(await to(p)));
            await click([300, 300]);
            await click([700, 300]);
            await click([900, 900]);
            await page.keyboard.press('Backspace');
            await drag(await to([700, 700]), [await to([500, 700])]);
            await page.keyboard.press('Enter');
            await saved(page);
            const [open] = await lines();
            assert.equal(open.closed, false);
            near(ends(open.points)[1], [700, 700], 2);
            // The curve reaches beyond its points, where the handle leads it.
            assert.ok(boxOf(open)[2] > 720, `${boxOf(open)}`);
            await page.getByRole('radio', { name: 'Both', exact: true }).click();
            for (const p of [
                [1300, 300],
                [1900, 300],
                [1600, 900],
                [1300, 300],
            ])
                await click(p);
            await saved(page);
            const all = await lines();
            assert.deepEqual(
                all.slice(1).map((l) => [l.kind, l.closed]),
                [
                    ['outline', true],
                    ['centreline', true],
                ],
            );
            assert.equal((await view()).steps, 2);
            // Nothing of one that is given up is drawn.
            await click([400, 1300]);
            await click([700, 1400]);
            await page.keyboard.press('Escape');
            await page.keyboard.press('Enter');
            await saved(page);
            assert.equal((await view()).steps, 2);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'copies lie along a way, and shapes are tidied when it is known what that does'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id, lines, to, drag, press, view } = await opened(page, url, [between([300, 400], [300, 500])]);
            await press('Take in hand');
            await page.mouse.click(...(await to([300, 450])));
            await press('Along a way …');
            await page.getByLabel('Copies').fill('4');
            await page.getByLabel('Copies').press('Enter');
            await page.getByLabel('Turn with the way').uncheck();
            await drag(await to([600, 800]), [await to([1500, 800])]);
            const all = await lines();
            assert.equal(all.length, 5);
            for (const [k, l] of all.slice(1).entries()) near(boxOf(l), [600 + 300 * k, 750, 600 + 300 * k, 850], 8);
            assert.match(await page.getByTestId('in-hand').innerText(), /^4 lines/);
            const disc = (x, y) => ({
                ...{ of: 'draw', do: 'shape', shape: 'ellipse', from: [x - 150, y - 150], to: [x + 150, y + 150] },
                ...{ width: 6, inked: 'filled', swatch: null, under: false },
            });
            for (const [x, y] of [
                [1900, 1300],
                [2050, 1300],
                [1950, 1450],
            ])
                await step(url, id, disc(x, y));
            await page.reload();
            await press('Take in hand');
            await press('Tidy all …');
            await page.getByText('Would be tidied: 2 fused.').waitFor();
            assert.equal((await view()).lines.length, 8);
            const [, share] = /by more than ([\d.]+) %|(?=No pixel)/.exec(
                await page.getByRole('status').filter({ hasText: 'Would be' }).innerText(),
            );
            assert.ok(Number(share ?? 0) < 35, `${share} %`);
            await press('Tidy');
            assert.equal((await view()).lines.length, 6);
            await press('Tidy all …');
            await page.getByText('There is nothing to tidy').waitFor();
            await page.getByRole('button', { name: 'Undo' }).click();
            await saved(page);
            assert.equal((await view()).lines.length, 8);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
