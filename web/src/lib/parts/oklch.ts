/** Colours as hue, lightness and chroma in Oklch (Ottosson, "A perceptual color space for image processing", 2020), and in sRGB. */
import { displayable, modeOklch, modeRgb, toGamut, useMode } from 'culori/fn';

const toRgb = useMode(modeRgb);
const toOklch = useMode(modeOklch);
const within = toGamut('rgb', 'oklch');

export type Rgb = [number, number, number];

/** Lightness 0 to 1, chroma 0 to some 0.33, hue in degrees. */
export interface Oklch {
    l: number;
    c: number;
    h: number;
}

/** The most chroma that sRGB has, about. */
export const MOST_CHROMA = 0.33;

export function oklchOf([r, g, b]: Rgb): Oklch {
    const { l, c, h } = toOklch({ mode: 'rgb', r: r / 255, g: g / 255, b: b / 255 });
    return { l, c, h: h ?? 0 };
}

/** The nearest colour that sRGB has, with the same hue and lightness. */
export function rgbOf({ l, c, h }: Oklch): Rgb {
    const { r, g, b } = within({ mode: 'oklch', l, c, h });
    const byte = (v: number) => Math.min(255, Math.max(0, Math.round(v * 255)));
    return [byte(r), byte(g), byte(b)];
}

/** Whether sRGB has it. */
export const isInside = ({ l, c, h }: Oklch) => displayable(toRgb({ mode: 'oklch', l, c, h }));

/** What a tone of a colour may be, before somebody sets it: darker or lighter by that name, else a little darker. */
export function proposedTone(base: Rgb, tone: string): Rgb {
    const { l, c, h } = oklchOf(base);
    const light = /light|bright|high/i.test(tone);
    return light ? rgbOf({ l: l + 0.45 * (1 - l), c: 0.8 * c, h }) : rgbOf({ l: 0.82 * l, c: 1.02 * c, h: h - 4 });
}
