import { expect, test } from 'vitest';
import page from '../../docs/keys.md?raw';
import { KEYS } from '../src/lib/keys';

test('every key is listed in docs/keys.md', () => {
    for (const key of KEYS.flatMap((g) => g.keys.flatMap((k) => k.keys))) {
        expect(page, `docs/keys.md does not tell ${key}`).toContain(key === 'Wheel' ? '| wheel |' : `\`${key}\``);
    }
});

test('within a group no key stands twice for different things, unless it says where', () => {
    for (const { name, keys } of KEYS) {
        const seen = new Map<string, string>();
        for (const { keys: chord, does } of keys) {
            const written = chord.join('+');
            const before = seen.get(written);
            if (before) expect(`${before} / ${does}`, `${name}: ${written}`).toMatch(/^held.*\/ held/);
            seen.set(written, does);
        }
    }
});
