/** Lines taken in hand at Draw: chosen, moved by handles and numbers, copied, put in order, given another form. */
import assert from 'node:assert/strict';
import { onPage, openBrowser, saved } from '../browser.mjs';
import { between, boxOf, near, sheetWith } from '../drawing.mjs';

const LEVEL = between([400, 600], [1000, 600]);
const UPRIGHT = between([700, 300], [700, 1100]);
const FAR = between([1600, 1400], [2000, 1400]);

async function opened(page, url, strokes = [LEVEL, UPRIGHT, FAR]) {
    const sheet = await sheetWith(page, url, strokes);
    const size = await sheet.view();
    const to = (p) => onPage(page, size, p);
    await page.getByRole('button', { name: 'Take in hand', exact: true }).click();
    const click = async (p, keys = []) => {
        for (const key of keys) await page.keyboard.down(key);
        await page.mouse.click(...(await to(p)));
        for (const key of keys) await page.keyboard.up(key);
        await saved(page);
    };
    const drag = async (from, by, keys = []) => {
        await page.mouse.move(...from);
        await page.mouse.down();
        for (const key of keys) await page.keyboard.down(key);
        for (let k = 1; k <= 5; k++) await page.mouse.move(from[0] + (by[0] * k) / 5, from[1] + (by[1] * k) / 5);
        await page.mouse.up();
        for (const key of keys) await page.keyboard.up(key);
        await saved(page);
    };
    const scale = (await to([1000, 0]))[0] / 1000 - (await to([0, 0]))[0] / 1000;
    const inHand = () => page.getByTestId('in-hand').innerText();
    const press = async (name) => {
        await page.getByRole('button', { name, exact: true }).click();
        await saved(page);
    };
    return { ...sheet, to, click, drag, scale, inHand, press };
}

export const tests = {
    async 'lines are taken by a click, an outline, what they touch, and moved, turned and scaled'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { lines, view, to, click, drag, scale, inHand, press } = await opened(page, url);
            await page.getByText('Nothing is in hand yet.').waitFor();
            await click([500, 600]);
            assert.equal(await inHand(), '1 line · by hand');
            await click([1800, 1400], ['Shift']);
            assert.equal(await inHand(), '2 lines · by hand');
            await click([1800, 1400], ['Shift']);
            await press('Connected');
            assert.equal(await inHand(), '2 lines · by hand');
            await press('The others');
            assert.equal(await inHand(), '1 line · by hand');
            // An outline around it, from nothing; then away with it.
            await drag(await to([350, 250]), [700 * scale, 900 * scale], ['Shift']);
            assert.equal(await inHand(), '3 lines · by hand');
            await page.keyboard.press('Escape');
            await page.getByRole('button', { name: 'Take in hand', exact: true }).click();
            await click([500, 600]);
            const [was] = await lines();
            await drag(await to([500, 600]), [100 * scale, 60 * scale]);
            near(
                boxOf((await lines())[0]),
                boxOf(was).map((v, k) => v + (k % 2 ? 60 : 100)),
            );
            // By numbers: from the sheet's left edge, 20 mm.
            const across = page.getByLabel('Across', { exact: true });
            await across.fill('20');
            await across.press('Enter');
            await saved(page);
            near([boxOf((await lines())[0])[0]], [(20 / 25.4) * 300]);
            const turn = page.getByLabel('Turn by', { exact: true });
            await turn.fill('90');
            await turn.press('Enter');
            await saved(page);
            const [, y0, , y1] = boxOf((await lines())[0]);
            near([y1 - y0], [600]);
            // By a corner, in proportion, its weight with it; the whole is one step each time.
            await click([1800, 1400]);
            const far = (await lines())[2];
            const [x1, y2] = [boxOf(far)[2], boxOf(far)[3]];
            const corner = await to([x1, y2]);
            await drag([corner[0] + 12, corner[1] + 12], [200 * scale, 0]);
            const grown = (await lines())[2];
            near([boxOf(grown)[2] - boxOf(grown)[0]], [600], 12);
            near([grown.points[0][2]], [12], 0.8);
            assert.equal((await view()).steps, 3 + 4);
            for (let k = 0; k < 4; k++) {
                await page.keyboard.press('Control+z');
                await saved(page);
            }
            assert.deepEqual((await lines())[0], was);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'what is in hand is copied, pasted into another drawing, grouped, mirrored and taken away'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id, lines, view, click, inHand, press } = await opened(page, url);
            await click([500, 600]);
            await click([1800, 1400], ['Shift']);
            await page.keyboard.press('Control+g');
            await saved(page);
            await click([2300, 200]);
            await click([500, 600]);
            assert.equal(await inHand(), '2 lines · by hand', 'a group is taken as one');
            await page.keyboard.press('Control+d');
            await saved(page);
            assert.equal((await lines()).length, 5);
            assert.equal(await inHand(), '2 lines · by hand', 'the new ones are in hand');
            await page.keyboard.press('Delete');
            await saved(page);
            assert.equal((await lines()).length, 3);
            await click([500, 600]);
            await press('Ungroup');
            await click([500, 600]);
            assert.equal(await inHand(), '1 line · by hand');
            await press('Mirror ↔');
            near(boxOf((await lines())[0]), [400, 600, 1000, 600], 4);
            await page.keyboard.press('Control+c');
            await page.getByText('Copied 1 line.').waitFor();
            // Into another drawing, where it lay.
            const other = await sheetOf(page, url);
            assert.notEqual(other.id, id);
            await page.getByRole('button', { name: 'Take in hand', exact: true }).click();
            await page.keyboard.press('Control+v');
            await saved(page);
            const [pasted] = await other.lines();
            near(boxOf(pasted), [400, 600, 1000, 600], 4);
            assert.equal((await other.view()).steps, 1);
            assert.equal((await view()).steps, 3 + 5);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'what is cut loose is in hand, and moves by itself'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { lines, view, to, drag, scale, inHand } = await opened(page, url);
            await page.getByRole('button', { name: 'Cut out', exact: true }).click();
            await page.getByLabel('comes loose').check();
            // A box over the middle of the level line, and all of the upright one above it.
            await drag(await to([600, 250]), [200 * scale, 500 * scale], ['Shift']);
            assert.equal((await lines()).length, 6);
            assert.equal(await inHand(), '2 lines · by hand');
            assert.match((await view()).undo, /cut loose 2 pieces/);
            const [x, y] = await to([640, 600]);
            await drag([x, y], [0, 300 * scale]);
            const piece = (await lines()).find((l) => Math.abs(boxOf(l)[1] - 900) < 6 && boxOf(l)[0] > 590);
            near(boxOf(piece), [600, 900, 800, 900]);
            assert.equal((await view()).steps, 3 + 2);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'lines change form, end along one another, are made one and put over and under'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { lines, view, click, inHand, press } = await opened(page, url);
            const kinds = async () => (await view()).lines.map((l) => l.kind);
            await click([1800, 1400]);
            await press('To outline');
            assert.deepEqual(await kinds(), ['centreline', 'centreline', 'outline']);
            near(boxOf((await lines())[2]), [1596, 1396, 2004, 1404], 1);
            await press('To centreline');
            assert.deepEqual(await kinds(), ['centreline', 'centreline', 'centreline']);
            await press('To seam');
            assert.deepEqual(await kinds(), ['centreline', 'centreline', 'seam']);
            // The upright one ends before the level one, parallel to it: the part below goes.
            await click([700, 350]);
            await press('End along …');
            await page.getByText('Click the line it is to end along.').waitFor();
            await click([900, 600]);
            const [, upright] = await lines();
            const gap = (0.4 / 25.4) * 300;
            const ends = [boxOf(upright)[1], boxOf(upright)[3]];
            assert.ok(
                Math.abs(ends[0] - (604 + gap)) < 1.5 || Math.abs(ends[1] - (596 - gap)) < 1.5,
                `it ends at ${ends}`,
            );
            await page.keyboard.press('Control+z');
            await saved(page);
            const ids = async () => (await view()).lines.map((l) => l.id);
            const before = await ids();
            await click([500, 600]);
            await page.keyboard.press('PageUp');
            await saved(page);
            assert.deepEqual(await ids(), [before[1], before[0], before[2]]);
            await page.keyboard.press('Control+PageDown');
            await saved(page);
            assert.deepEqual(await ids(), before);
            await click([700, 1000], ['Shift']);
            assert.equal(await inHand(), '2 lines · by hand');
            await press('Fuse');
            assert.deepEqual(await kinds(), ['outline', 'seam']);
            near(boxOf((await lines())[0]), [396, 296, 1004, 1104], 1);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};

/** Another bare sheet, made beside the one on the bench: the page stays the same one. */
async function sheetOf(page, url) {
    const was = page.url();
    await page.getByRole('button', { name: 'Bare sheet' }).click();
    await page.waitForFunction((was) => location.href !== was, was);
    await saved(page);
    const id = Number(/drawing\/(\d+)/.exec(page.url())[1]);
    const get = async (path) => (await fetch(`${url}/api/drawings/${id}${path}`)).json();
    return {
        id,
        view: () => get(''),
        lines: async () => {
            await saved(page);
            return (await get('/hand-off/drawing.json')).lines;
        },
    };
}
