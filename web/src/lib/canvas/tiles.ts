/** Pictures of the sheet in tiles, fetched at the size they are shown and kept while they may be needed again. */
import { picture, pictureUrl, type PictureKind } from '../api';
import type { Window as SheetWindow } from '../types/Window';
import type { Box } from '../geometry/box';
import type { Camera } from '../geometry/camera.svelte';

const SIDE = 512;
/** How far tiles reach over one another where they lie aslant, pixels of the canvas: their edges are see-through there. */
const OVERLAP = 0.5;
/** About as many megabytes. */
const KEPT = 160;

interface Tile {
    /** None while it is on its way. */
    image: ImageBitmap | null;
    /** It is to be drawn as soon as it is there. */
    wanted: boolean;
}

export class Tiles {
    #tiles = new Map<string, Tile>();
    /** The address of what came last of a place. */
    #last = new Map<string, string>();

    /** `changed`: a picture of a part has come. */
    constructor(readonly changed: (w: SheetWindow) => void) {}

    #tile([place, url]: Address, { revision }: Of, w: SheetWindow, wanted: boolean): Tile {
        let tile = this.#tiles.get(url);
        if (tile) {
            // The most recently used are kept longest.
            this.#tiles.delete(url);
        } else {
            const made: Tile = { image: null, wanted };
            picture(url, revision).then(
                (image) => {
                    // It may have gone meanwhile.
                    if (this.#tiles.get(url) !== made) return image.close();
                    made.image = image;
                    if (this.#last.size > 4000) this.#last.clear();
                    this.#last.set(place, url);
                    if (made.wanted) this.changed(w);
                },
                () => this.#tiles.delete(url),
            );
            tile = made;
        }
        tile.wanted ||= wanted;
        this.#tiles.set(url, tile);
        while (this.#tiles.size > KEPT) {
            const oldest = this.#tiles.keys().next().value;
            if (oldest === undefined) break;
            this.#tiles.get(oldest)?.image?.close();
            this.#tiles.delete(oldest);
        }
        return tile;
    }

    /**
     * Draws what is seen of the picture, each place from one tile: that of its version, else the last that came, else a
     * coarser one. `version`: of a part. Gives whether everything is as it is now.
     */
    draw(
        g: CanvasRenderingContext2D,
        camera: Camera,
        of: Of,
        kind: PictureKind,
        version: (w: SheetWindow) => string | number,
        ratio: number,
    ): boolean {
        const fine = levelAt(camera.scale * ratio);
        const coarse = Math.min(8, Math.max(0, Math.ceil(Math.log2(Math.max(of.width, of.height) / SIDE))));
        const seen = seenBy(camera, of);
        g.imageSmoothingEnabled = camera.scale * ratio < 3;
        const isStraight = Math.abs(Math.sin(2 * camera.turn)) < 1e-9;
        const more = isStraight ? 0 : OVERLAP / (camera.scale * ratio);
        const missing: SheetWindow[] = [];
        let current = true;
        for (const w of windows(seen, fine)) {
            const tile = this.#at(of, kind, w, version(w));
            current &&= tile !== null && tile.current;
            if (tile) put(g, tile.image, w, more);
            else missing.push(w);
        }
        if (missing.length > 0) {
            g.save();
            g.beginPath();
            for (const w of missing) g.rect(w.x, w.y, w.width, w.height);
            g.clip();
            for (const w of windows(seen, coarse)) {
                const tile = this.#at(of, kind, w, version(w));
                if (tile) put(g, tile.image, w, more);
            }
            g.restore();
        } else {
            // Coarse ones are there for a jump, which shows them first: as they came once will do.
            for (const w of windows(seen, coarse)) {
                const address = addressOf(of, kind, w, version(w));
                if (!this.#tiles.has(this.#last.get(address[0]) ?? '')) this.#tile(address, of, w, false);
            }
        }
        return current;
    }

    /** Asks for what would be seen of the picture, so that it is there when it is to be drawn. */
    warm(camera: Camera, of: Of, kind: PictureKind, version: (w: SheetWindow) => string | number, ratio: number) {
        for (const w of windows(seenBy(camera, of), levelAt(camera.scale * ratio))) {
            this.#tile(addressOf(of, kind, w, version(w)), of, w, false);
        }
    }

    /** The picture of a part as it is now, or as it came last. */
    #at(of: Of, kind: PictureKind, w: SheetWindow, version: string | number) {
        const address = addressOf(of, kind, w, version);
        const tile = this.#tile(address, of, w, true);
        if (tile.image) return { image: tile.image, current: true };
        const before = this.#tiles.get(this.#last.get(address[0]) ?? '');
        return before?.image ? { image: before.image, current: false } : null;
    }
}

/** Draws a picture of a part, so much larger on each side. */
function put(g: CanvasRenderingContext2D, image: ImageBitmap, w: SheetWindow, more: number) {
    g.drawImage(image, w.x - more, w.y - more, w.width + 2 * more, w.height + 2 * more);
}

/** The name of a place, and the address of a version of what is there. */
type Address = [place: string, url: string];

function addressOf(of: Of, kind: PictureKind, w: SheetWindow, version: string | number): Address {
    return [`${of.key}:${kind}:${w.level}:${w.x}:${w.y}`, pictureUrl(of, kind, w, version)];
}

/** A part of a picture that is looked at. */
interface Seen {
    of: Of;
    box: Box;
}

/** What lies on the canvas, at which revision, and its size in sheet pixels. */
export interface Of {
    id: number;
    /** Tells it from a drawing of the same number in another database. */
    key: string;
    revision: number;
    width: number;
    height: number;
}

function seenBy(camera: Camera, of: Of): Seen {
    return { of, box: camera.box() };
}

/** The level whose pixels are about as large as the screen's. */
export function levelAt(scale: number): number {
    return Math.max(0, Math.min(8, Math.floor(Math.log2(1 / scale) + 0.35)));
}

/** The tiles of a level that the part touches. */
function* windows({ of, box }: Seen, level: number): Generator<SheetWindow> {
    const side = SIDE << level;
    const [left, top, right, bottom] = box;
    for (let y = Math.max(0, Math.floor(top / side)) * side; y < Math.min(bottom, of.height); y += side) {
        for (let x = Math.max(0, Math.floor(left / side)) * side; x < Math.min(right, of.width); x += side) {
            yield { x, y, width: Math.min(side, of.width - x), height: Math.min(side, of.height - y), level };
        }
    }
}
