/** A server that is open to a network, over TLS: its page asks for the key; with that for looking nothing is changed. */
import assert from 'node:assert/strict';
import { openBrowser } from '../browser.mjs';

export const tests = {
    async 'the page asks for the key, and whoever may only look is told so'(url) {
        const { RHIZOGRAPH_PAINT: paint, RHIZOGRAPH_LOOK: look } = process.env;
        const { page, context, troubles, close } = await openBrowser();
        try {
            await page.goto(url);
            await page.getByText('asks for its key').waitFor();
            await page.getByLabel('Key', { exact: true }).fill('a1b2c3');
            await page.getByRole('button', { name: 'Come in' }).click();
            await page.getByRole('alert').getByText('not a key of this server').waitFor();
            await page.getByLabel('Key', { exact: true }).fill(look);
            await page.getByRole('button', { name: 'Come in' }).click();
            await page.getByRole('heading', { name: 'Along the sea wall' }).waitFor();
            await page.getByText('looking', { exact: true }).waitFor();
            await page.getByLabel('Frames of A-01').fill('4');
            await page.keyboard.press('Enter');
            await page.getByText('everything can be looked at, and nothing changed').waitFor();
            await page.getByText('8 drawings · 8 frames').waitFor();
            const [cookie] = await context.cookies();
            assert.deepEqual([cookie.httpOnly, cookie.sameSite, cookie.secure], [true, 'Strict', true]);

            await page.getByLabel('Who you are').click();
            await page.getByRole('button', { name: 'Leave this server' }).click();
            await page.getByLabel('Key', { exact: true }).fill(paint);
            await page.getByRole('button', { name: 'Come in' }).click();
            await page.getByLabel('Frames of A-01').fill('4');
            await page.keyboard.press('Enter');
            await page.getByText('8 drawings · 11 frames').waitFor();
            await page.reload();
            await page.getByText('8 drawings · 11 frames').waitFor();
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
