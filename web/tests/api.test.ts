import { beforeEach, expect, test, vi } from 'vitest';
import * as api from '../src/lib/api';
import type { GlanceRequest } from '../src/lib/types/GlanceRequest';

const fetched = vi.fn<(url: string, init: RequestInit) => Promise<Response>>();
vi.stubGlobal('fetch', fetched);
const kept = new Map<string, string>();
vi.stubGlobal('localStorage', {
    getItem: (key: string) => kept.get(key) ?? null,
    setItem: (key: string, value: string) => kept.set(key, value),
});

const answer = (body: BodyInit, status = 200) => fetched.mockResolvedValueOnce(new Response(body, { status }));
const told = (of: Promise<unknown>) =>
    of.then(
        () => null,
        (e) => (e instanceof api.Refused ? [e.status, e.told.error, e.told.revision] : e),
    );

beforeEach(() => fetched.mockReset());

test('what the server refuses comes in its own words, with the revision it stands at', async () => {
    answer(JSON.stringify({ error: 'somebody was first', advice: 'Look again', revision: 12 }), 409);
    expect(await told(api.undo(1, 9, 2))).toEqual([409, 'somebody was first', 12]);
});

test('an answer that is no answer, or none at all, is told as well', async () => {
    answer('<html>', 502);
    expect(await told(api.productions())).toEqual([502, 'the server did not answer as it should', null]);
    for (const ask of [() => api.productions(), () => api.glance(1, {} as GlanceRequest)]) {
        fetched.mockRejectedValueOnce(new TypeError('dead'));
        expect(await told(ask())).toEqual([0, 'the server cannot be reached', null]);
    }
});

test('what writes carries the header that only this page can send, what reads does not', async () => {
    answer('[]');
    await api.productions();
    answer('{}');
    await api.command(3, 4, 5, { of: 'join', do: 'remove', line: 6 });
    const [read, write] = fetched.mock.calls;
    expect(new Headers(read![1].headers).has('x-rhizograph')).toBe(false);
    expect(new Headers(write![1].headers).get('x-rhizograph')).toBe('1');
    // Both tell who asks: the same as after a reload.
    const who = [read!, write!].map((call) => new Headers(call[1].headers).get('x-rhizograph-author'));
    expect(who).toEqual([kept.get('author'), kept.get('author')]);
    expect(who[0]).toMatch(/^[0-9a-f-]{36}$/);
    expect([write![0], JSON.parse(write![1].body as string)]).toEqual([
        '/api/drawings/3/commands',
        { revision: 4, numbering: 5, command: { of: 'join', do: 'remove', line: 6 } },
    ]);
});

test('pixels come after what is told of them', async () => {
    const json = new TextEncoder().encode(JSON.stringify({ width: 2, name: 'ä' }));
    const bytes = new Uint8Array(4 + json.length + 3);
    new DataView(bytes.buffer).setUint32(0, json.length, true);
    bytes.set(json, 4);
    bytes.set([7, 8, 9], 4 + json.length);
    answer(bytes);
    const [first, pixels] = await api.glance(1, {} as GlanceRequest);
    expect(first).toEqual({ width: 2, name: 'ä' });
    expect([...pixels]).toEqual([7, 8, 9]);
});

test('a picture of a part is named by all that it depends on', () => {
    const w = { x: 512, y: 0, width: 512, height: 300, level: 1 };
    const urls = [
        api.pictureUrl({ id: 1, key: 'a' }, 'ink', w, 7),
        api.pictureUrl({ id: 2, key: 'a' }, 'ink', w, 7),
        api.pictureUrl({ id: 1, key: 'a' }, 'raw', w, 7),
        api.pictureUrl({ id: 1, key: 'a' }, 'ink', { ...w, x: 0 }, 7),
        api.pictureUrl({ id: 1, key: 'a' }, 'ink', { ...w, level: 2 }, 7),
        api.pictureUrl({ id: 1, key: 'a' }, 'ink', { ...w, height: 512 }, 7),
        api.pictureUrl({ id: 1, key: 'a' }, 'ink', w, 8),
        api.pictureUrl({ id: 1, key: 'b' }, 'ink', w, 7),
    ];
    expect(new Set(urls).size).toBe(urls.length);
});
