import fc from 'fast-check';
import { expect, test } from 'vitest';
import { area, fromHex, hex, mm, percent } from '../src/lib/parts/units';

test('lengths are told in millimetres at the resolution of the sheet', () => {
    expect(mm(300, 300)).toBe('25.4 mm');
    expect(mm(12, 600, 2)).toBe('0.51 mm');
});

test('areas are told in the unit that reads best', () => {
    const px = (mm2: number, dpi = 254) => mm2 * (dpi / 25.4) ** 2;
    expect(area(px(0.5), 254)).toBe('0.50 mm²');
    expect(area(px(42), 254)).toBe('42 mm²');
    expect(area(px(250), 254)).toBe('2.5 cm²');
});

test('shares are told in whole percent', () => {
    expect(percent(0.994)).toBe('99 %');
    expect(percent(1)).toBe('100 %');
});

test('a colour written as text and read again is the same', () => {
    const channel = fc.nat(255);
    fc.assert(
        fc.property(fc.tuple(channel, channel, channel), (c) => {
            expect(hex(c)).toMatch(/^#[0-9a-f]{6}$/);
            expect(fromHex(hex(c))).toEqual(c);
        }),
    );
});
