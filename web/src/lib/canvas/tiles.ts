/** Pictures of the sheet in tiles, fetched at the size they are shown and kept while they may be needed again. */
import { pictureUrl } from '../api';
import type { DrawingView } from '../types/DrawingView';
import type { Camera } from './camera.svelte';

const SIDE = 512;
const KEPT = 260;

interface Tile {
    image: HTMLImageElement;
    ready: boolean;
}

export class Tiles {
    #tiles = new Map<string, Tile>();
    #last = new Map<string, number>();

    constructor(readonly changed: () => void) {}

    #tile(url: string): Tile {
        let tile = this.#tiles.get(url);
        if (tile) {
            // The most recently used are kept longest.
            this.#tiles.delete(url);
        } else {
            const image = new Image();
            const made: Tile = { image, ready: false };
            image.onload = () => {
                made.ready = true;
                this.changed();
            };
            image.onerror = () => this.#tiles.delete(url);
            image.src = url;
            tile = made;
        }
        this.#tiles.set(url, tile);
        while (this.#tiles.size > KEPT) {
            const oldest = this.#tiles.keys().next().value;
            if (oldest === undefined) break;
            this.#tiles.delete(oldest);
        }
        return tile;
    }

    /** Draws what is seen of the picture; where a tile is still on its way, a coarser or older one that is there. */
    draw(
        g: CanvasRenderingContext2D,
        camera: Camera,
        view: DrawingView,
        kind: 'original' | 'ink',
        version: number,
        ratio: number,
    ) {
        const fine = Math.max(0, Math.min(8, Math.floor(Math.log2(1 / (camera.scale * ratio)) + 0.35)));
        const coarse = Math.min(8, Math.max(0, Math.ceil(Math.log2(Math.max(view.width, view.height) / SIDE))));
        const key = `${view.info.id}:${kind}`;
        const before = this.#last.get(key);
        const [x0, y0] = camera.toSheet([0, 0]);
        const [x1, y1] = camera.toSheet([camera.width, camera.height]);
        const layer = (level: number, v: number, fetch: boolean) => {
            const side = SIDE << level;
            let all = true;
            for (let y = Math.max(0, Math.floor(y0 / side)); y * side < Math.min(y1, view.height); y++) {
                for (let x = Math.max(0, Math.floor(x0 / side)); x * side < Math.min(x1, view.width); x++) {
                    const w = Math.min(side, view.width - x * side);
                    const h = Math.min(side, view.height - y * side);
                    const window = { x: x * side, y: y * side, width: w, height: h, level };
                    const url = pictureUrl(view.info.id, kind, window, v);
                    if (!fetch && !this.#tiles.has(url)) continue;
                    const tile = this.#tile(url);
                    if (!tile.ready) {
                        all = false;
                        continue;
                    }
                    g.drawImage(tile.image, x * side, y * side, w, h);
                }
            }
            return all;
        };
        g.imageSmoothingEnabled = camera.scale * ratio < 3;
        // Ink is see-through: two versions over one another would thicken. So only one layer is shown at a time.
        const ready = this.#allReady(view, kind, version, fine, x0, y0, x1, y1);
        if (ready || before === undefined || (before === version && fine === coarse)) {
            if (!ready && fine !== coarse && this.#allReady(view, kind, version, coarse, x0, y0, x1, y1)) {
                layer(coarse, version, true);
            } else layer(fine, version, true);
            if (ready) this.#last.set(key, version);
        } else {
            const old = this.#allReady(view, kind, before, fine, x0, y0, x1, y1) ? fine : coarse;
            layer(old, before, false);
        }
        // Ask for the coarse one too: it is what is shown first after a jump.
        this.#allReady(view, kind, version, coarse, x0, y0, x1, y1);
    }

    #allReady(
        view: DrawingView,
        kind: 'original' | 'ink',
        version: number,
        level: number,
        x0: number,
        y0: number,
        x1: number,
        y1: number,
    ): boolean {
        const side = SIDE << level;
        let all = true;
        for (let y = Math.max(0, Math.floor(y0 / side)); y * side < Math.min(y1, view.height); y++) {
            for (let x = Math.max(0, Math.floor(x0 / side)); x * side < Math.min(x1, view.width); x++) {
                const w = Math.min(side, view.width - x * side);
                const h = Math.min(side, view.height - y * side);
                const window = { x: x * side, y: y * side, width: w, height: h, level };
                if (!this.#tile(pictureUrl(view.info.id, kind, window, version)).ready) all = false;
            }
        }
        return all;
    }
}
