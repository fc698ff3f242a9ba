/** Lengths and areas as they are shown. */
export const mm = (px: number, dpi: number, digits = 1) => `${((px / dpi) * 25.4).toFixed(digits)} mm`;

export function area(px2: number, dpi: number): string {
    const v = px2 * (25.4 / dpi) ** 2;
    return v >= 100 ? `${(v / 100).toFixed(1)} cm²` : `${v.toFixed(v < 10 ? 2 : 0)} mm²`;
}

export const percent = (share: number) => `${Math.round(share * 100)} %`;

export const hex = (c: readonly number[]) => `#${c.map((v) => v.toString(16).padStart(2, '0')).join('')}`;

export function fromHex(text: string): [number, number, number] {
    const n = parseInt(text.slice(1), 16);
    return [(n >> 16) & 255, (n >> 8) & 255, n & 255];
}
