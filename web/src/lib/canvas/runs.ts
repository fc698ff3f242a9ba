/**
 * Pictures that come in runs of a row: first one byte a run, whether anything is seen in it, then the pixels of those in
 * which there is. A sheet is mostly bare, so little is sent, and of a picture that takes the place of another only what is
 * seen in either is made anew.
 */
type Colour = readonly [number, number, number];

interface Size {
    width: number;
    height: number;
    /** Four bytes a pixel, colour and alpha; otherwise alpha alone. */
    coloured: boolean;
}

/** So many pixels of a row make a run. */
export const RUN = 64;

export class RunPicture {
    readonly canvas = document.createElement('canvas');
    #image: ImageData | null = null;
    #words = new Uint32Array();
    /** The runs in which something is seen. */
    #seen = new Uint8Array();

    /** Shows other pixels, in one colour or (`null`) their own. Gives how many bytes they took. */
    show({ width, height, coloured }: Size, bytes: Uint8Array, colour: Colour | null): number {
        const { canvas } = this;
        const g = canvas.getContext('2d');
        const runs = Math.ceil(width / RUN);
        const seen = bytes.slice(0, runs * height);
        let image = this.#image;
        if (!g || width === 0 || height === 0) {
            [canvas.width, canvas.height, this.#image] = [width, height, null];
            return seen.length;
        }
        if (!image || image.width !== width || image.height !== height) {
            [canvas.width, canvas.height] = [width, height];
            image = this.#image = g.createImageData(width, height);
            this.#words = new Uint32Array(image.data.buffer);
            this.#seen = new Uint8Array(seen.length);
        }
        const [r, gr, b] = colour ?? [0, 0, 0];
        const ink = (b << 16) | (gr << 8) | r;
        const [step, alpha] = coloured ? [4, 3] : [1, 0];
        const words = this.#words;
        const dirty = new Uint8Array(runs);
        let at = seen.length;
        for (let y = 0, run = 0; y < height; y++) {
            for (let k = 0; k < runs; k++, run++) {
                if (!seen[run] && !this.#seen[run]) continue;
                dirty[k] = 1;
                const from = y * width + k * RUN;
                const n = Math.min(RUN, width - k * RUN);
                if (!seen[run]) words.fill(0, from, from + n);
                else {
                    if (coloured && !colour) image.data.set(bytes.subarray(at, at + 4 * n), 4 * from);
                    else for (let i = 0; i < n; i++) words[from + i] = (bytes[at + step * i + alpha]! << 24) | ink;
                    at += step * n;
                }
            }
            // As many rows as a run is long, so that what is put is about square.
            if (y % RUN === RUN - 1 || y === height - 1) {
                const top = y - (y % RUN);
                for (let k = 0; k < runs; k++) {
                    if (!dirty[k]) continue;
                    const first = k;
                    while (dirty[k + 1]) k++;
                    g.putImageData(image, 0, 0, first * RUN, top, (k + 1 - first) * RUN, y + 1 - top);
                }
                dirty.fill(0);
            }
        }
        this.#seen = seen;
        return at;
    }
}
