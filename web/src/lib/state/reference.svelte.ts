/** A picture that colours are picked from: it stands beside the drawing, and is kept as long as the page is. */
import { tell } from './notices.svelte';

type Rgb = [number, number, number];

/** The most pixels a side that are kept of it. */
const MOST_SIDE = 8192;

class Reference {
    picture = $state.raw<ImageBitmap | null>(null);
    name = $state('');
    /** Where it stands on the page, px. */
    at = $state({ x: 24, y: 120, width: 300 });
    /** What was picked and is not used yet. */
    picked = $state<Rgb | null>(null);
    #pixels: ImageData | null = null;

    /** Reads a picture from the server. */
    async fetch(url: string, name: string) {
        const response = await fetch(url).catch(() => null);
        await this.open(response?.ok ? await response.blob() : new Blob(), name);
    }

    /** Reads a picture with its pixels as they are: nothing is converted. */
    async open(file: Blob, name: string) {
        try {
            const picture = await createImageBitmap(file, { colorSpaceConversion: 'none', premultiplyAlpha: 'none' });
            if (Math.max(picture.width, picture.height) > MOST_SIDE) {
                tell(`The picture has more than ${MOST_SIDE} pixels a side`, 'Bring in a smaller one.', true);
                return;
            }
            const canvas = new OffscreenCanvas(picture.width, picture.height);
            const g = canvas.getContext('2d', { willReadFrequently: true });
            if (!g) return;
            g.drawImage(picture, 0, 0);
            this.#pixels = g.getImageData(0, 0, picture.width, picture.height);
            [this.picture, this.name] = [picture, name];
        } catch {
            tell('The picture cannot be read', 'PNG, JPEG and WebP are.', true);
        }
    }

    /** The pixel at a place, px of the picture: its own value, no other's. */
    pixel(x: number, y: number): Rgb | null {
        const p = this.#pixels;
        if (!p || x < 0 || y < 0 || x >= p.width || y >= p.height) return null;
        const k = (Math.floor(y) * p.width + Math.floor(x)) * 4;
        return [p.data[k] ?? 0, p.data[k + 1] ?? 0, p.data[k + 2] ?? 0];
    }

    close() {
        this.picture = this.#pixels = null;
    }
}

export const reference = new Reference();
