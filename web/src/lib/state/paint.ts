/** The names of paint: a swatch, or one of its tones. */

/** What stands between a swatch and its tone. */
export const TONE = '/';

export const toned = (swatch: string, tone: string | null) => (tone === null ? swatch : swatch + TONE + tone);

/** The swatch and the tone that a name is of; `null`: its base. */
export function parted(paint: string): [string, string | null] {
    const k = paint.indexOf(TONE);
    return k < 0 ? [paint, null] : [paint.slice(0, k), paint.slice(k + 1)];
}
