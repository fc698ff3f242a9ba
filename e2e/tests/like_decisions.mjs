/** What is asked and what is quiet; findings that are alike, and what was decided in another drawing of the shot. */
import assert from 'node:assert/strict';
import { demo, demoDrawing, getJson, openBrowser, saved } from '../browser.mjs';

const JSON_HEADERS = { 'x-rhizograph': '1', 'content-type': 'application/json' };

async function command(url, id, what) {
    const { info, numbering } = await getJson(url, `/drawings/${id}`);
    const body = JSON.stringify({ revision: info.revision, numbering, command: what });
    const answer = await fetch(`${url}/api/drawings/${id}/commands`, { method: 'POST', headers: JSON_HEADERS, body });
    assert.equal(answer.status, 200, await answer.text());
}

/** A ring with hatching in it as vector art, in a shot of its own. */
async function hatched(url) {
    const strokes = Array.from({ length: 9 }, (_, k) => `M${250 + 28 * k} 300l26 150`).join('');
    const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="800" height="700"><g fill="none" stroke="black">
        <circle cx="380" cy="370" r="280" stroke-width="12"/><path d="${strokes}" stroke-width="6"/></g></svg>`;
    const body = JSON.stringify({ production: (await demo(url)).id, number: '090', name: 'Hatching' });
    const shot = await (await fetch(`${url}/api/shots`, { method: 'POST', headers: JSON_HEADERS, body })).json();
    const answer = await fetch(`${url}/api/shots/${shot}/drawings?name=B-01.svg`, {
        method: 'POST',
        headers: { 'x-rhizograph': '1' },
        body: svg,
    });
    return (await answer.json()).id;
}

const findings = (page) => page.locator('[aria-label=Findings]');

export const tests = {
    async 'the ends of a hatching ask for nothing, are one row, and are left and opened in one go'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const id = await hatched(url);
            await page.goto(`${url}/#/drawing/${id}/join`);
            await findings(page).getByText('0 open').waitFor();
            await page.getByText('Nothing is open').waitFor();
            const quiet = page.getByRole('button', { name: /^▸?\s*\d+ quiet$/ });
            await quiet.click();
            assert.equal(await page.getByRole('button', { name: /\d+ quiet/ }).getAttribute('aria-expanded'), 'true');
            // Two groups: the upper ends and the lower ones.
            const groups = findings(page).getByRole('button', { name: /\d+ (gaps|leaks|ends) alike/i });
            await groups.first().waitFor();
            const n = Number((await groups.first().innerText()).match(/\d+/)[0]);
            assert.ok(n >= 3);
            const rows = () =>
                findings(page).locator('li button[aria-current], li:not(:has([aria-expanded])) > button').count();
            const before = await rows();
            await groups.first().click();
            assert.equal(await groups.first().getAttribute('aria-expanded'), 'true');
            assert.equal(await rows(), before + n, 'the group shows what is in it');
            await findings(page).getByRole('button', { name: 'Leave all' }).first().click();
            await saved(page);
            const left = (await getJson(url, `/drawings/${id}`)).findings.filter((f) => f.left);
            assert.equal(left.length, n);
            // By keys: one in hand, all like it.
            await page.keyboard.press('j');
            const all = page.getByRole('button', { name: /^Leave all \d+ like this/ });
            if (await all.count()) {
                await page.keyboard.press('Shift+X');
                await saved(page);
                const now = (await getJson(url, `/drawings/${id}`)).findings.filter((f) => f.left);
                assert.ok(now.length > n);
                await page.keyboard.press('Control+z');
                await saved(page);
            }
            await findings(page)
                .getByRole('button', { name: `Left ${n}` })
                .click();
            await findings(page).getByRole('button', { name: 'Open all' }).click();
            await saved(page);
            assert.equal((await getJson(url, `/drawings/${id}`)).findings.filter((f) => f.left).length, 0);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'what was closed by hand in one drawing is offered in the next, and done there in one go'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const [first, second] = [await demoDrawing(url, 0), await demoDrawing(url, 1)];
            for (const { id } of [first, second]) await command(url, id, { of: 'trace', do: 'trace' });
            const settle = async (id) => {
                const ids = (await getJson(url, `/drawings/${id}`)).findings.filter((f) => f.sure).map((f) => f.id);
                if (ids.length) await command(url, id, { of: 'findings', do: 'settle', ids, with: null });
            };
            await settle(first.id);
            await settle(second.id);
            const gapOf = async (id) => {
                const { findings } = await getJson(url, `/drawings/${id}`);
                // At the corner of the mouth.
                return findings.find((f) => f.kind === 'gap' && f.at[0] > 1900 && f.at[1] > 780 && f.at[1] < 920);
            };
            const gap = await gapOf(first.id);
            assert.ok(gap?.quiet, 'a stroke that stops short of an outline is not asked');
            await command(url, first.id, { of: 'findings', do: 'settle', ids: [gap.id], with: 'bridge' });
            await page.goto(`${url}/#/drawing/${second.id}/join`);
            const offer = page.getByRole('button', { name: /^Do \d+ as in A-01$/ });
            await offer.waitFor();
            const before = await getJson(url, `/drawings/${second.id}`);
            await page.getByRole('button', { name: /\d+ quiet/ }).click();
            await findings(page).getByText('closed in A-01').first().waitFor();
            await offer.click();
            await saved(page);
            const after = await getJson(url, `/drawings/${second.id}`);
            assert.equal(after.lines.length, before.lines.length + 1);
            const bridge = after.lines.find((l) => !before.lines.some((b) => b.id === l.id));
            const [x, y] = [(bridge.bounds[0] + bridge.bounds[2]) / 2, (bridge.bounds[1] + bridge.bounds[3]) / 2];
            assert.ok(Math.hypot(x - gap.at[0], y - gap.at[1]) < 120, 'at the same corner of the mouth');
            await offer.waitFor({ state: 'detached' });
            // However many were done, and in whichever ways, they are one step.
            await page.keyboard.press('Control+z');
            await saved(page);
            assert.deepEqual((await getJson(url, `/drawings/${second.id}`)).lines, before.lines);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
