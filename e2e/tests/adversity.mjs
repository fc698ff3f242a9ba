/** What goes wrong while somebody works: the server away, others first, a file that was cut, a page that is closed. */
import assert from 'node:assert/strict';
import { becomes, demoDrawing, getJson, nudge, openAt, openBrowser, saved } from '../browser.mjs';

const post = async (url, path, body) => {
    const answer = await fetch(`${url}/api${path}`, {
        method: 'POST',
        headers: { 'x-rhizograph': '1', 'x-rhizograph-author': 'somebody', 'content-type': 'application/json' },
        body: JSON.stringify(body),
    });
    assert.equal(answer.status, 200, path);
    return answer.json();
};

/** A step of somebody else. */
async function elsewhere(url, id, command) {
    const view = await getJson(url, `/drawings/${id}`);
    return post(url, `/drawings/${id}/commands`, { revision: view.info.revision, command });
}

const shown = (page, text) => page.getByText(text, { exact: false }).first().waitFor();

export const tests = {
    async 'what others did while the server could not be reached is shown when it is back'(url) {
        const { page, context, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 0);
            await openAt(page, url, id, 'lift');
            await shown(page, 'step 0');
            await context.setOffline(true);
            await elsewhere(url, id, { of: 'trace', do: 'trace' });
            await page.waitForTimeout(600);
            await shown(page, 'step 0');
            await context.setOffline(false);
            await shown(page, 'step 1');
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'a step on something else stands; one on the same is refused, told so, and the next one goes'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 1);
            await elsewhere(url, id, { of: 'trace', do: 'trace' });
            // This page does not hear of others.
            await page.route('**/events', (route) => route.abort());
            await page.goto(`${url}/#/drawing/${id}/join`);
            await page.getByRole('button', { name: /Settle \d+ sure/ }).waitFor();
            const told = () => getJson(url, `/drawings/${id}`);
            const leave = (f) => elsewhere(url, id, { of: 'findings', do: 'leave', ids: [f.id] });
            const kinds = ['gap', 'tail', 'leak', 'loose_end', 'sliver'];
            const open = (view) => view.findings.filter((f) => !f.left && !f.quiet && kinds.includes(f.kind));
            const first = await told();
            // What somebody else did about another thing is in nobody's way.
            await leave(first.findings.find((f) => f.kind === 'loose_end' && !f.left));
            await page.keyboard.press('j');
            await page.keyboard.press('x');
            await shown(page, 'step 3');
            const both = await told();
            assert.equal(both.findings.filter((f) => f.left).length, 2);
            assert.equal(open(both).length, open(first).length - 1);
            // The very finding that is in hand was left by somebody else.
            await leave(open(both)[0]);
            await page.keyboard.press('Escape');
            await page.keyboard.press('j');
            await page.keyboard.press('x');
            await page.getByText('was changed elsewhere').waitFor();
            await page.getByText('Since then: left 1 finding.').waitFor();
            await page.getByTestId('saved').getByText('Last step not done').waitFor();
            await page.keyboard.press('j');
            await page.keyboard.press('x');
            await page.getByTestId('saved').getByText('Saved').waitFor();
            assert.equal(open(await told()).length, open(both).length - 2);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'undo takes back the own step beneath what others did'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 3);
            await elsewhere(url, id, { of: 'trace', do: 'trace' });
            await page.goto(`${url}/#/drawing/${id}/join`);
            await page.getByRole('button', { name: /Settle \d+ sure/ }).waitFor();
            // The tracing was not this page's.
            await page.keyboard.press('Control+z');
            await shown(page, 'Nothing to undo');
            await page.keyboard.press('j');
            await page.keyboard.press('x');
            await shown(page, 'step 2');
            const left = async () => (await getJson(url, `/drawings/${id}`)).findings.filter((f) => f.left);
            const [own] = await left();
            const far = (f) => Math.hypot(f.at.x - own.at.x, f.at.y - own.at.y);
            const view = await getJson(url, `/drawings/${id}`);
            const [other] = view.findings.filter((f) => !f.left).sort((a, b) => far(b) - far(a));
            await elsewhere(url, id, { of: 'findings', do: 'leave', ids: [other.id] });
            await shown(page, 'step 3');
            await page.keyboard.press('Control+z');
            await shown(page, 'step 2');
            assert.deepEqual(
                (await left()).map((f) => f.id),
                [other.id],
            );
            await page.keyboard.press('Control+y');
            await shown(page, 'step 3');
            assert.deepEqual((await left()).map((f) => f.id).sort(), [own.id, other.id].sort());
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'a setting moved by keys is one step, and one that is in hand when the page closes is saved'(url) {
        const { page, troubles, close } = await openBrowser();
        const { id } = await demoDrawing(url, 2);
        try {
            await elsewhere(url, id, { of: 'trace', do: 'trace' });
            await page.goto(`${url}/#/drawing/${id}/join`);
            await shown(page, 'step 1');
            const before = await getJson(url, `/drawings/${id}`);
            await nudge(page, 'Longest gap', 4);
            await shown(page, 'step 2');
            const { recipes, steps } = await getJson(url, `/drawings/${id}`);
            assert.equal(steps, 2);
            assert.equal(recipes.join.longest_gap.toFixed(1), (before.recipes.join.longest_gap + 0.4).toFixed(1));
            // Not yet saved: the keys may go on.
            await page.getByLabel('Longest tail').focus();
            await page.keyboard.press('ArrowLeft');
            await page.goto('about:blank');
            const now = await becomes(
                () => getJson(url, `/drawings/${id}`),
                (now) => now.steps === 3,
            );
            assert.equal(recipes.join.longest_tail, null);
            assert.equal(now.recipes.join.longest_tail.toFixed(1), '5.9');
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'a swatch that is refused keeps its name, and nothing goes out that was changed meanwhile'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 3);
            await elsewhere(url, id, { of: 'trace', do: 'trace' });
            await page.goto(`${url}/#/drawing/${id}/paint`);
            await page.getByRole('button', { name: 'swatch', exact: true }).click();
            await page.getByPlaceholder('Name').fill('Steam');
            await page.route('**/colours', (route) =>
                route.fulfill({
                    status: 409,
                    json: { error: 'somebody was first', advice: 'Look again.', revision: 1 },
                }),
            );
            await page.getByRole('button', { name: 'Add', exact: true }).click();
            await page.getByText('Somebody was first').waitFor();
            assert.equal(await page.getByPlaceholder('Name').inputValue(), 'Steam');
            await page.unroute('**/colours');
            await page.getByRole('button', { name: 'Add', exact: true }).click();
            await page.getByRole('button', { name: 'Steam', exact: true }).waitFor();

            await page.route('**/events', (route) => route.abort());
            await page.goto(`${url}/#/drawing/${id}/hand-off`);
            await page.reload();
            await page.getByText('Not ready yet').waitFor();
            await page.getByLabel('Hand off anyway').check();
            await elsewhere(url, id, { of: 'intake', do: 'resolution', dpi: 299 });
            await page.getByRole('button', { name: /^Hand off 1 drawing$/ }).click();
            await page.getByText('was changed elsewhere').waitFor();
            await page.waitForTimeout(600);
            assert.equal(await page.getByTestId('outgoing').count(), 0);
            assert.equal((await getJson(url, `/drawings/${id}`)).info.handed_off, false);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'of a photo that was cut short what is missing is told where it comes in and at Intake'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 0, '013');
            const bytes = Buffer.from(await (await fetch(`${url}/api/drawings/${id}/original`)).arrayBuffer());
            await page.goto(url);
            await page.getByRole('heading', { name: 'Along the sea wall' }).waitFor();
            const cut = bytes.subarray(0, Math.floor(bytes.length * 0.7));
            await page.getByTestId('intake').setInputFiles([{ name: 'Z-1.jpg', mimeType: 'image/jpeg', buffer: cut }]);
            await page.getByText('1 of 1 brought in').waitFor();
            assert.match(await page.getByLabel('Bringing in').getByRole('status').innerText(), /are missing/);
            await page.getByRole('button', { name: 'Close' }).click();
            await page.getByRole('button', { name: 'Z-1', exact: true }).click();
            await page.keyboard.press('i');
            await page
                .getByText(/the file is damaged or cut short: the lower \d+ % of the picture are missing/i)
                .waitFor();
            await saved(page);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
