/** Stills: a drawing at a size for the screen, its ink and its paint each by itself, as they are flipped through. */
import { reach } from './index';
import type { DrawingInfo } from '../types/DrawingInfo';
import type { StillFacts } from '../types/StillFacts';

/** A still as it is sent: both pictures are packed, and take little. */
export interface Still {
    facts: StillFacts;
    ink: Blob;
    paint: Blob;
}

/** `model`: the revision of the shot's colours. */
export async function still({ id, key, revision }: DrawingInfo, model: number): Promise<Still> {
    const response = await reach(`/drawings/${id}/still?v=${revision}.${model}&of=${key}`, 'GET');
    const bytes = await response.arrayBuffer();
    const n = new DataView(bytes).getUint32(0, true);
    const facts = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, n))) as StillFacts;
    const picture = (from: number, to?: number) => new Blob([bytes.slice(from, to)], { type: 'image/png' });
    const [ink, paint] = [4 + n, 4 + n + facts.ink];
    return { facts, ink: picture(ink, paint), paint: picture(paint) };
}
