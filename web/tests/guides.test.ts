import { expect, test, vi } from 'vitest';
import './page';

vi.stubGlobal('localStorage', { getItem: () => null, setItem: () => undefined });
const { guides } = await import('../src/lib/state/guides.svelte');

test('a list that nobody changed stays the same one, so that nothing is drawn again for it', () => {
    expect(guides.list).toEqual([]);
    expect(guides.list).toBe(guides.list);
    guides.add({ at: [3, 4], angle: 0 });
    expect(guides.list).toEqual([{ at: [3, 4], angle: 0 }]);
    expect(guides.list).toBe(guides.list);
});
