/** Lines mended at Draw: redrawn, calmed, pressed, bent and erased, by pen and mouse. */
import assert from 'node:assert/strict';
import { becomes, colourAt, nudge, onPage, openBrowser, saved } from '../browser.mjs';
import { between, penOf, sheetWith } from '../drawing.mjs';

const LEVEL = between([300, 900], [2100, 900]);
const UPRIGHT = between([1200, 300], [1200, 1500]);

/** A mouse that draws on the sheet. */
function mouseOn(page, sheet) {
    const to = (p) => onPage(page, sheet, p);
    return async (places, { keys = [], up = true } = {}) => {
        for (const key of keys) await page.keyboard.down(key);
        await page.mouse.move(...(await to(places[0])));
        await page.mouse.down();
        for (const p of places.slice(1)) await page.mouse.move(...(await to(p)));
        if (!up) return;
        await page.mouse.up();
        for (const key of keys) await page.keyboard.up(key);
        await saved(page);
    };
}

const mend = async (page, name) => {
    await page.getByRole('button', { name: 'Mend' }).click();
    await page.getByRole('toolbar', { name: 'Mend' }).getByRole('button', { name, exact: true }).click();
};
/** How far a line's path passes from a place. */
const off = ({ points }, [x, y]) =>
    Math.min(
        ...points.slice(1).map(([bx, by], k) => {
            const [ax, ay] = points[k];
            const [dx, dy] = [bx - ax, by - ay];
            const t = Math.max(0, Math.min(1, ((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy || 1)));
            return Math.hypot(x - ax - t * dx, y - ay - t * dy);
        }),
    );
const widthAt = (line, [x, y]) =>
    line.points.reduce((a, b) => (Math.hypot(a[0] - x, a[1] - y) < Math.hypot(b[0] - x, b[1] - y) ? a : b))[2];

export const tests = {
    async 'a stretch is redrawn by pen, with its width or without, and the line stays the same one'(url) {
        const { page, context, troubles, close } = await openBrowser();
        try {
            const { view, lines } = await sheetWith(page, url, [LEVEL, UPRIGHT]);
            const sheet = await view();
            const [before] = await lines();
            await mend(page, 'Redraw');
            const pen = await penOf(context, page);
            const arc = (t) => [700 + 400 * t, 905 - 200 * Math.sin(Math.PI * t)];
            const at = (t) => onPage(page, sheet, arc(t));
            await pen.down(await at(0), 0.9);
            for (let k = 1; k <= 30; k++) await pen.move(await at(k / 30), 0.9);
            await pen.up(await at(1));
            const [redrawn, other] = await lines();
            assert.equal(redrawn.id, before.id);
            assert.ok(off(redrawn, [900, 705]) < 25, `${off(redrawn, [900, 705])} px off the top`);
            assert.ok(off(redrawn, [500, 900]) < 1 && off(redrawn, [1700, 900]) < 1);
            assert.ok(off(other, [1200, 900]) < 1, 'the other line is as it was');
            const { steps, undo } = await view();
            assert.deepEqual([steps, undo], [3, 'redrew a line']);
            await page.getByRole('radio', { name: 'Its width', exact: true }).click();
            await nudge(page, 'Line weight', 30);
            await pen.down(await onPage(page, sheet, [1500, 902]), 1);
            for (let k = 1; k <= 20; k++) await pen.move(await onPage(page, sheet, [1500 + 20 * k, 902]), 1);
            await pen.up(await onPage(page, sheet, [1900, 902]));
            const [wide] = await lines();
            assert.ok(widthAt(wide, [1700, 900]) > 1.5 * widthAt(redrawn, [1700, 900]), 'broader');
            assert.ok(
                wide.points.filter((p) => p[0] > 1400).every((p) => Math.abs(p[1] - 900) < 1),
                'in its old course',
            );
            // A stroke on no line changes nothing, and it is told why.
            await pen.down(await onPage(page, sheet, [400, 300]), 1);
            await pen.move(await onPage(page, sheet, [600, 320]), 1);
            await pen.up(await onPage(page, sheet, [600, 320]));
            await page.getByText(/begins or ends on it/).waitFor();
            assert.equal((await view()).steps, 4);
            for (let k = 0; k < 2; k++) {
                await page.keyboard.press('Control+z');
                await saved(page);
            }
            assert.deepEqual((await lines())[0], before);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'lines are calmed, pressed and bent, and what becomes of them is seen before it is let go'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const wavy = Array.from({ length: 151 }, (_, k) => [300 + 12 * k, 900 + (k % 4 < 2 ? 7 : -7)]);
            const { view, lines } = await sheetWith(page, url, [wavy, between([300, 1400], [2100, 1400])]);
            const sheet = await view();
            const draw = mouseOn(page, sheet);
            const rough = (line) => {
                const on = line.points.filter((p) => p[0] > 900 && p[0] < 1500);
                return on.reduce((sum, p) => sum + (p[1] - 900) ** 2, 0) / on.length;
            };
            const [before] = await lines();
            await mend(page, 'Calm');
            await nudge(page, 'Around the pointer', 15);
            const rub = [...between([800, 900], [1600, 900]), ...between([1600, 900], [800, 900])];
            const told = page.waitForResponse((r) => r.url().endsWith('/tried'));
            await draw(rub, { up: false });
            assert.ok((await (await told).json()).lines.every((l) => l.path.startsWith('M')));
            assert.equal((await view()).steps, 2, 'nothing is done yet');
            await page.mouse.up();
            const [calm] = await lines();
            assert.ok(rough(calm) < 0.6 * rough(before), `${rough(calm)} of ${rough(before)}`);
            await draw(rub);
            assert.ok(rough((await lines())[0]) < rough(calm), 'the more the longer');
            await mend(page, 'Press');
            await draw(between([900, 1400], [1100, 1400]));
            const thick = (await lines())[1];
            assert.ok(widthAt(thick, [1000, 1400]) > 1.2 * widthAt(thick, [1900, 1400]));
            await page.getByRole('radio', { name: 'Thinner', exact: true }).click();
            await draw(between([1500, 1400], [1700, 1400]));
            const both = (await lines())[1];
            assert.ok(widthAt(both, [1600, 1400]) < 0.85 * widthAt(both, [1900, 1400]));
            await mend(page, 'Bend');
            await draw([
                [1200, 1400],
                [1200, 1350],
                [1220, 1250],
            ]);
            const bent = (await lines())[1];
            assert.ok(off(bent, [1220, 1250]) < 25, `${off(bent, [1220, 1250])} px off`);
            assert.ok(off(bent, [300, 1400]) < 1 && off(bent, [2100, 1400]) < 1, 'its ends stay');
            assert.equal((await view()).steps, 7);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'the eraser takes exactly what it passes over, up to crossings, or whole lines, of those in hand only'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const low = between([300, 1300], [2100, 1300]);
            const { view, lines } = await sheetWith(page, url, [LEVEL, UPRIGHT, low]);
            const sheet = await view();
            const draw = mouseOn(page, sheet);
            const erase = () => page.getByRole('button', { name: 'Erase', exact: true }).click();
            await erase();
            await draw(between([600, 800], [600, 1000]));
            const cut = await lines();
            assert.equal(cut.length, 4);
            const gone = cut.every((l) => l.points.every((p) => Math.abs(p[0] - 600) > 10 || p[1] > 1000));
            assert.ok(gone, 'nothing is left where it passed');
            const spot = await onPage(page, sheet, [600, 900]);
            await becomes(
                () => colourAt(page, spot),
                (c) => c[0] > 230,
                'nor is it seen',
            );
            await page.keyboard.press('Control+z');
            await saved(page);
            await page.getByRole('radio', { name: 'To crossings', exact: true }).click();
            await draw(between([600, 850], [600, 950]));
            const spans = await lines();
            assert.equal(spans.length, 3);
            assert.ok(
                Math.min(
                    ...spans
                        .flatMap((l) => l.points)
                        .filter((p) => Math.abs(p[1] - 900) < 2)
                        .map((p) => p[0]),
                ) > 1150,
            );
            await page.keyboard.press('Control+z');
            await saved(page);
            // Only the line in hand, though all are passed over.
            await page.getByRole('button', { name: 'Take in hand', exact: true }).click();
            await page.mouse.click(...(await onPage(page, sheet, [500, 900])));
            await erase();
            await page.getByText('Only the line in hand').waitFor();
            await page.getByRole('radio', { name: 'Whole lines', exact: true }).click();
            await draw(between([1150, 850], [1250, 1350]));
            assert.deepEqual(
                (await lines()).map((l) => Math.round(l.points[0][1])),
                [300, 1300],
            );
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'points are set, added, made smooth and taken away, with a field chart under the drawing'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { view, lines } = await sheetWith(page, url, [LEVEL]);
            const sheet = await view();
            const to = (p) => onPage(page, sheet, p);
            const draw = mouseOn(page, sheet);
            await mend(page, 'Points');
            const click = async (p, key) => {
                if (key) await page.keyboard.down(key);
                await page.mouse.click(...(await to(p)));
                if (key) await page.keyboard.up(key);
                await saved(page);
                await page.waitForTimeout(250);
            };
            await click([1200, 900]);
            assert.equal((await view()).steps, 1, 'its points are shown, nothing else');
            await click([1200, 900]);
            assert.equal((await view()).undo, 'reshaped a line');
            await draw([
                [1200, 900],
                [1200, 860],
                [1200, 700],
            ]);
            await page.waitForTimeout(250);
            const up = (await lines())[0];
            assert.ok(off(up, [1200, 700]) < 6, `${off(up, [1200, 700])} px off`);
            assert.ok(off(up, [300, 900]) < 0.1 && off(up, [2100, 900]) < 0.1, 'its ends stay');
            await click([1200, 700], 'Shift');
            assert.equal((await view()).steps, 4, 'a corner');
            await click([1200, 700], 'Alt');
            assert.equal((await view()).steps, 5);
            for (let k = 0; k < 4; k++) {
                await page.keyboard.press('Control+z');
                await saved(page);
            }
            const back = (await lines())[0];
            assert.ok(back.points.every((p) => Math.abs(p[1] - 900) < 0.1));
            // The chart's outermost field runs along the sheet's edge; ink lies over it.
            const spot = await to([1200, 450]);
            const white = await colourAt(page, spot);
            await page.getByLabel('Chart').selectOption('12');
            const bluish = async () => {
                const all = await Promise.all([-1, 0, 1].map((d) => colourAt(page, [spot[0] + d, spot[1]])));
                return all.some((c) => c[2] > c[0] + 20);
            };
            assert.ok(white[2] <= white[0] + 20);
            await becomes(bluish, (is) => is, 'the chart is seen');
            await page.getByRole('button', { name: 'under', exact: true }).click();
            await page.getByRole('button', { name: 'over', exact: true }).waitFor();
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'strokes of one colour fuse as they are drawn, or stay apart'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { view } = await sheetWith(page, url, [LEVEL]);
            const draw = mouseOn(page, await view());
            const kinds = async () => (await view()).lines.map((l) => l.kind);
            await draw(UPRIGHT);
            assert.deepEqual(await kinds(), ['centreline', 'centreline']);
            await page.getByRole('radio', { name: 'Fuse', exact: true }).click();
            await draw(between([700, 400], [1500, 1400]));
            assert.deepEqual(await kinds(), ['outline']);
            assert.equal((await view()).undo, 'ink, fused');
            await page.keyboard.press('Control+z');
            await saved(page);
            assert.deepEqual(await kinds(), ['centreline', 'centreline']);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
