import fc from 'fast-check';
import { expect, test } from 'vitest';
import { RunPicture } from '../src/lib/canvas/runs';

/** A canvas that shows what was put on it, and counts the pixels that were. */
class FakeCanvas {
    shown = new Uint8ClampedArray();
    put = 0;
    #size = { width: 0, height: 0 };

    get width() {
        return this.#size.width;
    }
    set width(width: number) {
        this.#resize({ ...this.#size, width });
    }
    get height() {
        return this.#size.height;
    }
    set height(height: number) {
        this.#resize({ ...this.#size, height });
    }
    #resize(size: { width: number; height: number }) {
        this.#size = size;
        this.shown = new Uint8ClampedArray(4 * size.width * size.height);
    }

    getContext() {
        return {
            createImageData: (width: number, height: number) => ({
                width,
                height,
                data: new Uint8ClampedArray(4 * width * height),
            }),
            putImageData: (image: ImageData, _dx: number, _dy: number, x: number, y: number, w: number, h: number) => {
                for (let row = y; row < y + h; row++) {
                    const [from, to] = [
                        4 * (row * this.width + x),
                        4 * (row * this.width + Math.min(this.width, x + w)),
                    ];
                    this.shown.set(image.data.subarray(from, to), from);
                    this.put += (to - from) / 4;
                }
            },
        };
    }
}
globalThis.document = { createElement: () => new FakeCanvas() } as unknown as Document;

/** As the server packs it. */
function inRuns(pixels: Uint8Array, width: number, each: number): Uint8Array {
    const [seen, data]: [number[], number[]] = [[], []];
    for (let row = 0; row < pixels.length; row += width * each) {
        for (let from = 0; from < width; from += 64) {
            const run = [...pixels.subarray(row + from * each, row + Math.min(width, from + 64) * each)];
            const any = run.some((v, i) => i % each === each - 1 && v > 0);
            seen.push(Number(any));
            if (any) data.push(...run);
        }
    }
    return Uint8Array.from([...seen, ...data]);
}

const alphas = (n: number) =>
    fc.array(fc.tuple(fc.nat(Math.max(0, n - 1)), fc.nat(150), fc.nat(255)), { maxLength: 4 }).map((runs) => {
        const alpha = new Uint8Array(n);
        for (const [from, length, value] of runs) alpha.fill(value, from, from + length);
        return alpha;
    });
const sizes = fc.constantFrom([200, 70], [64, 64], [130, 3], [63, 1]) as fc.Arbitrary<[number, number]>;

test('whatever was shown before, a picture is shown as it was sent, in the colour that is asked for', () => {
    const one = sizes.chain(([width, height]) =>
        fc.record({
            width: fc.constant(width),
            height: fc.constant(height),
            alpha: alphas(width * height),
            coloured: fc.boolean(),
            colour: fc.option(fc.tuple(fc.nat(255), fc.nat(255), fc.nat(255))),
        }),
    );
    fc.assert(
        fc.property(fc.array(one, { minLength: 1, maxLength: 5 }), (pictures) => {
            const picture = new RunPicture();
            const canvas = picture.canvas as unknown as FakeCanvas;
            for (const { width, height, alpha, coloured, colour } of pictures) {
                const own = [7, 80, 200];
                const rgba = new Uint8Array(4 * alpha.length);
                alpha.forEach((a, i) => a > 0 && rgba.set([...own, a], 4 * i));
                const bytes = coloured ? inRuns(rgba, width, 4) : inRuns(alpha, width, 1);
                // What comes after it is another's.
                const more = Uint8Array.from([...bytes, 1, 2, 3]);
                expect(picture.show({ width, height, coloured }, more, colour)).toBe(bytes.length);
                expect([canvas.width, canvas.height]).toEqual([width, height]);
                const ink = colour ?? (coloured ? own : [0, 0, 0]);
                const wrong = alpha.findIndex((a, i) => {
                    const shown = canvas.shown.subarray(4 * i, 4 * i + 4);
                    return shown[3] !== a || (a > 0 && ink.some((v, c) => shown[c] !== v));
                });
                expect(wrong).toBe(-1);
            }
        }),
        { numRuns: 60 },
    );
});

test('of a picture that is mostly bare only what is seen, or was, is put anew', () => {
    const [width, height] = [640, 640];
    const dot = (at: number) => {
        const alpha = new Uint8Array(width * height);
        alpha[at] = 255;
        return inRuns(alpha, width, 1);
    };
    const picture = new RunPicture();
    const canvas = picture.canvas as unknown as FakeCanvas;
    picture.show({ width, height, coloured: false }, dot(0), null);
    expect(canvas.put).toBe(64 * 64);
    picture.show({ width, height, coloured: false }, dot(width * height - 1), null);
    expect(canvas.put).toBe(3 * 64 * 64);
    expect(canvas.shown[3]).toBe(0);
});

test('a picture without pixels is none', () => {
    const picture = new RunPicture();
    expect(picture.show({ width: 0, height: 0, coloured: false }, new Uint8Array(), null)).toBe(0);
    expect(picture.canvas.width).toBe(0);
});
