/** A shot goes out: from its table, with the names that were told, under a report. */

import assert from 'node:assert/strict';
import { becomes, demo, getJson, openBrowser } from '../browser.mjs';

export const tests = {
    async 'a shot goes out from its table under the names that were told, frame by frame'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id: shot, drawings } = (await demo(url)).shots.find((s) => s.number === '014');
            const [first] = drawings;
            await page.goto(url);
            await page.getByRole('button', { name: /^014/ }).click();
            const frames = page.getByLabel(`Frames of ${first.name}`);
            await frames.fill('3');
            await frames.press('Enter');
            await page.getByText('3 frames').waitFor();
            // A number that no drawing is held for is told, and the field shows what is.
            await frames.fill('0');
            await frames.press('Enter');
            await page.getByText('1 to 9999 frames').waitFor();
            await becomes(
                () => frames.inputValue(),
                (v) => v === '3',
                'what is',
            );

            await page.getByRole('button', { name: /^Hand off \d+ drawing/ }).click();
            await page.waitForURL('**/hand-off');
            await page.getByText('a file for each frame of a hold').click();
            const names = page.getByTestId('names');
            await names.getByText('014_ink.0001.png').waitFor();
            const pattern = page.getByLabel('Pattern of the names');
            await pattern.fill('{shot}_{nobody}');
            await page.getByRole('alert').getByText('the naming pattern knows').waitFor();
            const begin = page.getByRole('button', { name: /^Hand off \d+ drawing/ }).last();
            assert.ok(await begin.isDisabled());
            await pattern.fill('{production} {shot} {layer}.{frame:3}');
            await names.getByText('Kettle Post 014 ink.001.png').waitFor();
            await page.getByLabel('Hand off anyway').check();
            await begin.click();
            await page
                .getByTestId('outgoing')
                .getByText(/files in one ZIP/)
                .waitFor();
            const [job] = await getJson(url, `/shots/${shot}/jobs`);
            const files = (await getJson(url, `/jobs/${job.id}/files`)).map((f) => f.name);
            for (const n of [1, 2, 3]) assert.ok(files.includes(`Kettle Post 014 ink.00${n}.png`), `${files}`);
            assert.ok(files.includes('014.report.html'));
            await page.getByText(`${first.name} went out as it is now.`).waitFor();

            // The report is a page of its own.
            await page.goto(`${url}/api/jobs/${job.id}/files/014.report.html`);
            await page.getByRole('heading', { name: first.name }).waitFor();
            assert.ok(await page.locator('img').evaluate((i) => i.naturalWidth > 100));
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
