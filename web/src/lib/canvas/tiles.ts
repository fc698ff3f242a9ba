/** Pictures of the sheet in tiles, fetched at the size they are shown and kept while they may be needed again. */
import { pictureUrl, type PictureKind } from '../api';
import type { Window as SheetWindow } from '../types/Window';
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
        of: { id: number; width: number; height: number },
        kind: PictureKind,
        version: number,
        ratio: number,
    ) {
        const fine = Math.max(0, Math.min(8, Math.floor(Math.log2(1 / (camera.scale * ratio)) + 0.35)));
        const coarse = Math.min(8, Math.max(0, Math.ceil(Math.log2(Math.max(of.width, of.height) / SIDE))));
        const key = `${of.id}:${kind}`;
        const before = this.#last.get(key);
        const seen: Seen = {
            of,
            kind,
            box: [...camera.toSheet([0, 0]), ...camera.toSheet([camera.width, camera.height])],
        };
        const layer = (level: number, v: number) => {
            for (const w of windows(seen, level)) {
                const tile = this.#tiles.get(pictureUrl(of.id, kind, w, v));
                if (tile?.ready) g.drawImage(tile.image, w.x, w.y, w.width, w.height);
            }
        };
        g.imageSmoothingEnabled = camera.scale * ratio < 3;
        // Ink is see-through: two versions over one another would thicken. So only one layer is shown at a time.
        const ready = this.#ready(seen, version, fine);
        // The coarse one is asked for too: it is what is shown first after a jump.
        const coarseReady = this.#ready(seen, version, coarse);
        if (ready) this.#last.set(key, version);
        if (ready || before === undefined || before === version) layer(!ready && coarseReady ? coarse : fine, version);
        else layer(this.#ready(seen, before, fine) ? fine : coarse, before);
    }

    /** Asks for what is seen; gives whether all of it is there. */
    #ready(seen: Seen, version: number, level: number): boolean {
        let all = true;
        for (const w of windows(seen, level)) {
            if (!this.#tile(pictureUrl(seen.of.id, seen.kind, w, version)).ready) all = false;
        }
        return all;
    }
}

/** A part of a picture that is looked at: left, top, right, bottom in sheet pixels. */
interface Seen {
    of: { id: number; width: number; height: number };
    kind: PictureKind;
    box: number[];
}

/** The tiles of a level that the part touches. */
function* windows({ of, box }: Seen, level: number): Generator<SheetWindow> {
    const side = SIDE << level;
    const [left = 0, top = 0, right = 0, bottom = 0] = box;
    for (let y = Math.max(0, Math.floor(top / side)) * side; y < Math.min(bottom, of.height); y += side) {
        for (let x = Math.max(0, Math.floor(left / side)) * side; x < Math.min(right, of.width); x += side) {
            yield { x, y, width: Math.min(side, of.width - x), height: Math.min(side, of.height - y), level };
        }
    }
}
