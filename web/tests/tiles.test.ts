import fc from 'fast-check';
import { beforeEach, expect, test, vi } from 'vitest';
import { Camera } from '../src/lib/geometry/camera.svelte';
import { Tiles } from '../src/lib/canvas/tiles';
import { settled } from './page';

interface Asked {
    url: string;
    revision: number;
    come: () => void;
    fail: () => void;
}

const asked = vi.hoisted(() => [] as Asked[]);
const closed: string[] = [];

vi.mock('../src/lib/api', () => ({
    pictureUrl: ({ id }: { id: number }, kind: string, w: { x: number; y: number; level: number }, version: number) =>
        [id, kind, w.level, w.x, w.y, version].join('/'),
    picture: (url: string, revision: number) =>
        new Promise((come, fail) => {
            asked.push({
                url,
                revision,
                come: () => come({ url, close: () => closed.push(url) }),
                fail: () => fail(new Error()),
            });
        }),
}));

/** Notes what is drawn where. */
function pen() {
    const drawn: { url: string; box: number[] }[] = [];
    const g = {
        drawImage: (image: { url: string }, ...box: number[]) => drawn.push({ url: image.url, box }),
        ...{ save() {}, restore() {}, beginPath() {}, rect() {}, clip() {} },
    };
    return { g: g as unknown as CanvasRenderingContext2D, drawn };
}

const of = { id: 1, key: 'a', revision: 1, width: 4800, height: 3600 };

function at(x: number, y: number, scale: number) {
    const camera = new Camera();
    Object.assign(camera, { x, y, scale, width: 900, height: 600 });
    return camera;
}

async function comeAll() {
    asked.splice(0).forEach((a) => a.come());
    await settled();
}

beforeEach(() => {
    asked.length = closed.length = 0;
});

test('what is seen is drawn once, from tiles that cover it and the sheet alone', async () => {
    await fc.assert(
        fc.asyncProperty(
            fc.tuple(fc.nat(4800), fc.nat(3600), fc.double({ min: 0.1, max: 4, noNaN: true })),
            async ([x, y, scale]) => {
                const tiles = new Tiles(() => {});
                const camera = at(x, y, scale);
                const draw = () => {
                    const { g, drawn } = pen();
                    return { current: tiles.draw(g, camera, of, 'ink', () => 7, 1), drawn };
                };
                asked.length = 0;
                expect(draw().current).toBe(false);
                await comeAll();
                const { current, drawn } = draw();
                expect(current).toBe(true);
                const [left, top, right, low] = camera.box();
                const inside = (px: number, py: number) =>
                    drawn.filter(({ box: [bx, by, w, h] }) => bx! <= px && by! <= py && px < bx! + w! && py < by! + h!);
                for (let k = 0; k < 40; k++) {
                    const px =
                        Math.max(0, left) + ((k * 7919) % 100) * 0.01 * (Math.min(right, 4800) - Math.max(0, left));
                    const py =
                        Math.max(0, top) + ((k * 104729) % 100) * 0.01 * (Math.min(low, 3600) - Math.max(0, top));
                    if (px >= 0 && py >= 0 && px < 4800 && py < 3600) expect(inside(px, py)).toHaveLength(1);
                }
                for (const {
                    box: [bx, by, w, h],
                } of drawn) {
                    expect(Math.min(bx!, by!, 4800 - bx! - w!, 3600 - by! - h!)).toBeGreaterThanOrEqual(0);
                }
            },
        ),
        { numRuns: 40 },
    );
});

test('until a newer picture of a place has come the last one stays, and is told not to be as it is now', async () => {
    const changed: number[] = [];
    const tiles = new Tiles((w) => changed.push(w.x));
    const camera = at(256, 256, 1);
    const draw = (version: number) => {
        const { g, drawn } = pen();
        return { current: tiles.draw(g, camera, of, 'ink', () => version, 1), drawn: drawn.map((d) => d.url) };
    };
    draw(1);
    await comeAll();
    const first = draw(1);
    expect(first.current).toBe(true);
    const next = draw(2);
    expect(next.current).toBe(false);
    expect(next.drawn).toEqual(first.drawn);
    changed.length = 0;
    await comeAll();
    expect(changed.length).toBeGreaterThan(0);
    expect(draw(2)).toEqual({ current: true, drawn: first.drawn.map((url) => url.replace(/1$/, '2')) });
});

test('what is only made ready asks for no frame when it comes, unless it is wanted meanwhile', async () => {
    let changes = 0;
    const tiles = new Tiles(() => changes++);
    const camera = at(256, 256, 1);
    tiles.warm(camera, of, 'ink', () => 1, 1);
    const n = asked.length;
    expect(n).toBeGreaterThan(0);
    await comeAll();
    expect(changes).toBe(0);
    tiles.warm(camera, of, 'ink', () => 2, 1);
    tiles.draw(pen().g, camera, of, 'ink', () => 2, 1);
    await comeAll();
    expect(changes).toBe(n);
});

test('a picture that could not be had is asked for again', async () => {
    const tiles = new Tiles(() => {});
    const camera = at(256, 256, 1);
    tiles.warm(camera, of, 'ink', () => 1, 1);
    const urls = asked.map((a) => a.url);
    asked.splice(0).forEach((a) => a.fail());
    await settled();
    tiles.warm(camera, of, 'ink', () => 1, 1);
    expect(asked.map((a) => a.url)).toEqual(urls);
});

test('so many are kept; those not used for longest are let go of, and what they held with them', async () => {
    const tiles = new Tiles(() => {});
    const look = (k: number) => tiles.warm(at(256, 256, 1), { ...of, id: k, key: `k${k}` }, 'ink', () => 1, 1);
    for (let k = 0; k < 60; k++) {
        look(k);
        await comeAll();
        // The first one is used again and again.
        look(0);
    }
    expect(closed.length).toBeGreaterThan(0);
    expect(closed.some((url) => url.startsWith('0/'))).toBe(false);
    expect(closed.every((url) => Number(url.split('/')[0]) < 40)).toBe(true);
});

test('a picture is asked for with the revision that is shown, and is not taken for one of another database', async () => {
    const tiles = new Tiles(() => {});
    const camera = at(256, 256, 1);
    tiles.warm(camera, { ...of, revision: 7 }, 'ink', () => 5, 1);
    expect(new Set(asked.map((a) => a.revision))).toEqual(new Set([7]));
    await comeAll();
    const { g, drawn } = pen();
    tiles.draw(g, camera, { ...of, id: 99, key: 'other' }, 'ink', () => 5, 1);
    expect(drawn).toEqual([]);
});
