/** Whatever is brought in that cannot be used: a clear message, and nothing changed. */
import assert from 'node:assert/strict';
import { PNG } from 'pngjs';
import { becomes, openBrowser } from '../browser.mjs';

function flat(width, height, grey) {
    const png = new PNG({ width, height });
    for (let i = 0; i < png.data.length; i++) png.data[i] = i % 4 === 3 ? 255 : grey;
    return PNG.sync.write(png);
}

const drawings = async (url) => {
    const all = await (await fetch(`${url}/api/productions`)).json();
    return all.find((p) => p.name === 'Kettle Post').shots[0].drawings.map((d) => [d.id, d.revision]);
};

export const tests = {
    async 'one bad file gets its message and the others still come in, in the order of their numbers'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            await page.goto(url);
            await page.getByRole('button', { name: 'New shot' }).click();
            await page.getByPlaceholder('Number, 014').fill('090');
            await page.getByPlaceholder('Name').fill('Odd sheets');
            await page.getByRole('button', { name: 'Add the shot' }).click();
            await page.getByRole('heading', { name: 'Odd sheets' }).waitFor();
            const huge = Buffer.concat([
                flat(4, 4, 0).subarray(0, 16),
                Buffer.from([0, 0, 0xea, 0x60, 0, 0, 0xea, 0x60]),
            ]);
            await page.getByTestId('intake').setInputFiles([
                { name: 'sheet-10.png', mimeType: 'image/png', buffer: flat(200, 150, 255) },
                { name: 'sheet-9.png', mimeType: 'image/png', buffer: flat(200, 150, 0) },
                { name: 'letter.png', mimeType: 'image/png', buffer: Buffer.from('Dear Marrow, the kettle is late.') },
                { name: 'empty.png', mimeType: 'image/png', buffer: Buffer.alloc(0) },
                { name: 'huge.png', mimeType: 'image/png', buffer: huge },
                { name: 'dot-1.png', mimeType: 'image/png', buffer: flat(1, 1, 0) },
            ]);
            await page.getByText('3 of 6 brought in').waitFor();
            const alerts = await page.getByLabel('Bringing in').getByRole('alert').allInnerTexts();
            assert.equal(alerts.length, 3);
            assert.ok(alerts.some((t) => /no png, jpeg, tiff or svg/i.test(t)));
            assert.ok(alerts.some((t) => /the file is empty/i.test(t)));
            assert.ok(alerts.every((t) => /nothing was changed/i.test(t)));
            const listed = () => page.locator('tbody b').allInnerTexts();
            const names = await becomes(listed, (all) => all.length === 3, 'what came in is listed');
            assert.deepEqual(names, ['dot-1', 'sheet-9', 'sheet-10']);

            // Sheets that hold nothing to lift say so at Lift, and offer no lifting.
            for (const [name, says] of [
                ['sheet-10', /No ink was found on this sheet/],
                ['sheet-9', /The whole sheet is ink/],
                ['dot-1', /The picture is 1 x 1 pixels/],
            ]) {
                await page.goto(`${url}/#/`);
                await page.getByRole('button', { name, exact: true }).click();
                await page.getByRole('alert').filter({ hasText: says }).waitFor();
                assert.ok(await page.getByRole('button', { name: 'Lift and trace' }).isDisabled());
            }
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'a truncated photo and an upload over the limit are refused by the server, and the shot stays as it was'(
        url,
    ) {
        const before = await drawings(url);
        const all = await (await fetch(`${url}/api/productions`)).json();
        const shot = all.find((p) => p.name === 'Kettle Post').shots[0];
        const original = Buffer.from(
            await (await fetch(`${url}/api/drawings/${shot.drawings[0].id}/original`)).arrayBuffer(),
        );
        const send = (body) =>
            fetch(`${url}/api/shots/${shot.id}/drawings?name=cut.jpg`, {
                method: 'POST',
                headers: { 'x-rhizograph': '1' },
                body,
            });
        const cut = await send(original.subarray(0, 3000));
        assert.equal(cut.status, 422);
        assert.match((await cut.json()).error, /JPEG file is damaged or cut short/);
        const large = await send(Buffer.alloc((256 << 20) + 1));
        assert.equal(large.status, 422);
        assert.match((await large.json()).error, /up to 256 MiB/);
        assert.deepEqual(await drawings(url), before);
    },
};
