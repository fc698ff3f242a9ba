/** The Join station's tools: the leak test, spans, seams that show where they land. */
import assert from 'node:assert/strict';
import { becomes, colourAt, demo, demoDrawing, getJson, onPage, openAt, openBrowser, saved } from '../browser.mjs';

async function traced(page, url, id) {
    await openAt(page, url, id, 'trace');
    await page.getByRole('button', { name: 'Trace', exact: true }).click();
    await page.getByRole('heading', { name: 'Join' }).waitFor();
    await saved(page);
}

/** A room whose only inner line tapers off before the wall, drawn in a shot of its own. */
async function roomWithTaper(page, url) {
    await page.goto(url);
    const png = await page.evaluate(async () => {
        const canvas = new OffscreenCanvas(400, 300);
        const g = canvas.getContext('2d');
        g.fillStyle = 'white';
        g.fillRect(0, 0, 400, 300);
        g.lineWidth = 6;
        g.strokeRect(60, 50, 280, 200);
        // Left and right of the line's way from the far wall to its tip.
        const way = [
            [60, 60, 4.5],
            [220, 150, 4],
            [297.5, 210, 0.7],
        ];
        const [nx, ny] = [-0.54, 0.84];
        g.fillStyle = 'black';
        g.beginPath();
        for (const [x, y, r] of way) g.lineTo(x + nx * r, y + ny * r);
        for (const [x, y, r] of way.toReversed()) g.lineTo(x - nx * r, y - ny * r);
        g.fill();
        const blob = await canvas.convertToBlob({ type: 'image/png' });
        return [...new Uint8Array(await blob.arrayBuffer())];
    });
    const headers = { 'x-rhizograph': '1', 'content-type': 'application/json' };
    const body = JSON.stringify({ production: (await demo(url)).id, number: '080', name: 'A room' });
    const shot = await (await fetch(`${url}/api/shots`, { method: 'POST', headers, body })).json();
    const answer = await fetch(`${url}/api/shots/${shot}/drawings?name=room.png`, {
        method: 'POST',
        headers: { 'x-rhizograph': '1' },
        body: new Uint8Array(png),
    });
    assert.equal(answer.status, 200);
    return (await demo(url)).shots.find((s) => s.number === '080').drawings[0].id;
}

/** The drawing that the first of these traced, open at Join: how to ask for it, and how it is. */
async function joining(page, url) {
    const { id } = await demoDrawing(url, 6);
    await page.goto(`${url}/#/drawing/${id}/join`);
    await page.getByRole('button', { name: /Settle \d+ sure|No sure ones/ }).waitFor();
    await saved(page);
    const view = () => getJson(url, `/drawings/${id}`);
    return { view, before: await view() };
}

/** A place in the middle of a longish centreline. */
function onLongLine(view) {
    const line = view.lines.filter((l) => l.kind === 'centreline').sort((a, b) => b.path.length - a.path.length)[2];
    const numbers = line.path.match(/-?\d+(\.\d+)?/g).map(Number);
    const k = 6 * Math.floor(numbers.length / 12);
    return [numbers[k], numbers[k + 1]];
}

export const tests = {
    async 'a leak is shown by the way it takes and closed at its narrowest spot'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 6);
            await traced(page, url, id);
            const view = () => getJson(url, `/drawings/${id}`);
            const before = await view();
            // A gap that parts two regions lets paint from one into the other.
            const gap = before.findings.find((f) => f.kind === 'gap' && f.sure);
            const ask = async (at) =>
                (
                    await fetch(`${url}/api/drawings/${id}/leak`, {
                        method: 'POST',
                        headers: { 'content-type': 'application/json', 'x-rhizograph': '1' },
                        body: JSON.stringify({ at }),
                    })
                ).json();
            // Somewhere beside the gap there is paper whose way out leads through it.
            const [x, y] = [(gap.at[0] + gap.to[0]) / 2, (gap.at[1] + gap.to[1]) / 2];
            let at = null;
            for (let k = 0; k < 16 && !at; k++) {
                const p = [x + 45 * Math.cos((k * Math.PI) / 8), y + 45 * Math.sin((k * Math.PI) / 8)];
                const told = await ask(p);
                if (told.leak && told.finding === gap.id) at = p;
            }
            assert.ok(at, 'no place beside the gap leaks by it');
            await page.getByRole('button', { name: 'Leak test' }).click();
            await page.mouse.click(...(await onPage(page, before, at)));
            await page.getByText(/Leaks out here|narrowest here/).waitFor();
            await page.keyboard.press('a');
            await saved(page);
            const after = await view();
            assert.ok(!after.findings.some((f) => f.id === gap.id));
            assert.equal(after.lines.filter((l) => l.made === 'bridge').length, 1);
            await page.keyboard.press('Control+z');
            await saved(page);
            // Off a finding the spot is closed by a seam between the ink at both sides.
            await page.mouse.click(...(await onPage(page, before, at)));
            await page.getByText(/Leaks out here|narrowest here/).waitFor();
            await page.keyboard.press('s');
            await saved(page);
            assert.equal((await view()).lines.filter((l) => l.kind === 'seam').length, 1);
            // Escape lets go of it.
            await page.keyboard.press('Escape');
            assert.equal(await page.getByText(/Leaks out here|narrowest here/).count(), 0);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'a leak is found by itself, walked to, closed by ink or by seam, or left'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const id = await roomWithTaper(page, url);
            await traced(page, url, id);
            const view = () => getJson(url, `/drawings/${id}`);
            const before = await view();
            assert.equal(before.regions.length, 1);
            const [leak] = before.findings.filter((f) => f.kind === 'leak');
            assert.ok(leak, `only ${before.findings.map((f) => f.id)}`);
            assert.ok(!leak.sure && !leak.left);
            // What tapers off may be meant: it is quiet, and listed when that is unfolded.
            assert.ok(leak.quiet);
            await page.getByRole('button', { name: /\d+ quiet/ }).click();
            const listed = page.getByRole('button', { name: /^Leak [\d.]+ mm wide/ });
            await listed.first().click();
            assert.equal(await listed.first().getAttribute('aria-current'), 'true');
            // By ink, by seam, left knowingly: each a step, each taken back.
            for (const [key, kind, regions] of [
                ['a', 'centreline', 2],
                ['s', 'seam', 2],
                ['x', null, 1],
            ]) {
                await page.keyboard.press(key);
                await saved(page);
                const after = await view();
                assert.equal(after.regions.length, regions);
                assert.ok(!after.findings.some((f) => f.id === leak.id && !f.left), `${key} left it open`);
                const added = after.lines.filter((l) => !before.lines.some((b) => b.id === l.id));
                assert.deepEqual(
                    added.map((l) => l.kind),
                    kind ? [kind] : [],
                );
                await page.keyboard.press('Control+z');
                await saved(page);
                assert.deepEqual((await view()).lines, before.lines);
                await listed.first().click();
            }
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'the kind that is listed stays so through the steps, and the next finding comes into hand'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { view, before } = await joining(page, url);
            const open = (v) => v.findings.filter((f) => f.kind === 'loose_end' && !f.left);
            const n = open(before).length;
            assert.ok(n > 2, `${n} loose ends`);
            await page.getByRole('button', { name: /\d+ quiet/ }).click();
            await page.getByRole('button', { name: 'Ends', exact: true }).click();
            await page.keyboard.press('j');
            const inHand = page.locator('[aria-label=Findings] [aria-current=true]');
            for (let k = 1; k <= 2; k++) {
                await page.keyboard.press('x');
                await saved(page);
                const chip = page.getByRole('button', { name: 'Ends', exact: true });
                assert.equal(await chip.getAttribute('aria-pressed'), 'true');
                await page.getByRole('button', { name: `${n - k} quiet` }).waitFor();
                assert.match(await inHand.innerText(), /^Loose end/);
            }
            assert.equal(open(await view()).length, n - 2);
            // Whoever draws lets go of it: what is offered beside it would lie in the way.
            await page.getByRole('button', { name: 'Seam', exact: true }).click();
            await inHand.waitFor({ state: 'detached' });
            for (let k = 0; k < 2; k++) {
                await page.keyboard.press('Control+z');
                await saved(page);
            }
            assert.equal(open(await view()).length, n);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'a span is picked, shown and taken away with its ink'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { view, before } = await joining(page, url);
            // A longish centreline, by a place on it.
            const at = onLongLine(before);
            await page.getByRole('button', { name: 'Span', exact: true }).click();
            const place = await onPage(page, before, at);
            await page.mouse.click(...place);
            await page.getByRole('button', { name: 'Take the span away' }).waitFor();
            await page.keyboard.press('Delete');
            await saved(page);
            const after = await view();
            assert.notDeepEqual(after.lines, before.lines);
            assert.equal(after.undo, 'took a span away');
            await becomes(
                () => colourAt(page, place),
                (c) => Math.min(...c.slice(0, 3)) > 170,
                'its ink is gone',
            );
            await page.keyboard.press('Control+z');
            await saved(page);
            assert.deepEqual((await view()).lines, before.lines);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'a seam shows where it will land before it is let go, straight with shift'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { view, before } = await joining(page, url);
            const region = [...before.regions].sort((a, b) => b.area - a.area)[3];
            const [x, y] = region.seed;
            await page.getByRole('button', { name: 'Seam', exact: true }).click();
            const from = await onPage(page, before, [x - 30, y]);
            const to = await onPage(page, before, [x + 30, y + 10]);
            const landing = page.waitForResponse((r) => r.url().endsWith('/landing'));
            await page.keyboard.down('Shift');
            await page.mouse.move(...from);
            await page.mouse.down();
            await page.mouse.move(from[0] + 5, from[1] - 9, { steps: 3 });
            await page.mouse.move(...to, { steps: 6 });
            const told = await (await landing).json();
            assert.equal(told.ends.length, 2);
            assert.match(told.path, /^M[\d.]/);
            await page.mouse.up();
            await page.keyboard.up('Shift');
            await saved(page);
            const after = await view();
            const seam = after.lines.find((l) => l.kind === 'seam' && !before.lines.some((b) => b.id === l.id));
            assert.ok(seam);
            // Straight: one curve whose handles lie on its chord.
            const n = seam.path.match(/-?\d+(\.\d+)?/g).map(Number);
            const [ax, ay, bx, by] = [n[0], n[1], n[n.length - 2], n[n.length - 1]];
            for (let k = 2; k < n.length - 2; k += 2) {
                const off =
                    Math.abs((bx - ax) * (n[k + 1] - ay) - (by - ay) * (n[k] - ax)) / Math.hypot(bx - ax, by - ay);
                assert.ok(off < 8, `${off} px off the chord`);
            }
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'a hand laid down beside the pen draws nothing, be it before the pen or after'(url) {
        const { page, context, troubles, close } = await openBrowser();
        try {
            const { view, before } = await joining(page, url);
            const [x, y] = [...before.regions].sort((a, b) => b.area - a.area)[3].seed;
            await page.getByRole('button', { name: 'Seam', exact: true }).click();
            const [from, to] = [await onPage(page, before, [x - 30, y]), await onPage(page, before, [x + 30, y + 10])];
            const palm = [from[0] - 90, from[1] - 60];
            const devices = await context.newCDPSession(page);
            const touch = (type, points) =>
                devices.send('Input.dispatchTouchEvent', { type, touchPoints: points.map(([x, y]) => ({ x, y })) });
            const pen = (type, [x, y], buttons = 1) =>
                devices.send('Input.dispatchMouseEvent', { type, x, y, buttons, button: 'left', pointerType: 'pen' });
            for (const isHandFirst of [true, false]) {
                const { steps } = await view();
                if (isHandFirst) await touch('touchStart', [palm]);
                await pen('mousePressed', from);
                if (!isHandFirst) await touch('touchStart', [palm]);
                for (let k = 1; k <= 6; k++) {
                    await pen(
                        'mouseMoved',
                        [0, 1].map((i) => from[i] + ((to[i] - from[i]) * k) / 6),
                    );
                    if (k === 3) await touch('touchMove', [[palm[0] + 25, palm[1] + 5]]);
                }
                await touch('touchEnd', []);
                await pen('mouseReleased', to, 0);
                await saved(page);
                const after = await view();
                assert.equal(after.steps, steps + 1);
                const seam = after.lines.find((l) => l.kind === 'seam' && !before.lines.some((b) => b.id === l.id));
                const numbers = seam.path.match(/-?\d+(\.\d+)?/g).map(Number);
                const far = numbers.filter((v, i) => Math.abs(v - (i % 2 ? y + 5 : x)) > (i % 2 ? 32 : 62));
                assert.deepEqual(far, [], `it went to the hand: ${seam.path}`);
                await page.keyboard.press('Control+z');
                await saved(page);
            }
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'what lies in a box or in a free outline is cut out, its ends as told'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { view, before } = await joining(page, url);
            // The middle of a long line that has paper around it.
            const [x, y] = onLongLine(before);
            await page.getByRole('button', { name: 'Cut out', exact: true }).click();
            await page.getByRole('radio', { name: 'Round' }).click();
            const corners = [
                [x - 14, y - 14],
                [x + 14, y - 14],
                [x + 14, y + 14],
                [x - 14, y + 14],
            ];
            const at = [];
            for (const corner of corners) at.push(await onPage(page, before, corner));
            const middle = await onPage(page, before, [x, y]);
            // A box with Shift.
            await page.keyboard.down('Shift');
            await page.mouse.move(...at[0]);
            await page.mouse.down();
            await page.mouse.move(...middle, { steps: 3 });
            await page.mouse.move(...at[2], { steps: 3 });
            await page.mouse.up();
            await page.keyboard.up('Shift');
            await saved(page);
            const boxed = await view();
            assert.match(boxed.undo, /^cut \d+ lines?$/);
            const within = (v) =>
                v.lines.filter((l) => {
                    const n = l.path.match(/-?\d+(\.\d+)?/g).map(Number);
                    return n.some((_, i) => i % 2 === 0 && Math.hypot(n[i] - x, n[i + 1] - y) < 9);
                }).length;
            assert.ok(within(before) > 0);
            assert.equal(within(boxed), 0);
            // What was cut open is meant.
            const open = (v) => v.findings.filter((f) => !f.left && ['gap', 'loose_end'].includes(f.kind)).length;
            assert.equal(open(boxed), open(before));
            await page.keyboard.press('Control+z');
            await saved(page);
            assert.deepEqual((await view()).lines, before.lines);
            // A free outline, the ends as it ran.
            await page.getByRole('radio', { name: 'Along the cutter' }).click();
            await page.mouse.move(...at[0]);
            await page.mouse.down();
            for (const p of [...at.slice(1), at[0]]) await page.mouse.move(...p, { steps: 4 });
            await page.mouse.up();
            await saved(page);
            const cut = await view();
            assert.match(cut.undo, /^cut \d+ lines?$/);
            assert.deepEqual(cut.lines.map((l) => l.id).sort(), boxed.lines.map((l) => l.id).sort());
            // Where there is no ink, nothing is cut and the page says so.
            await page.mouse.move(...(await onPage(page, before, [12, 12])));
            await page.mouse.down();
            await page.mouse.move(...(await onPage(page, before, [40, 14])), { steps: 3 });
            await page.mouse.move(...(await onPage(page, before, [30, 40])), { steps: 3 });
            await page.mouse.up();
            await page.getByText('there is no ink in there').waitFor();
            assert.equal((await view()).steps, cut.steps);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
