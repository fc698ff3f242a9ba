<script lang="ts">
    import { MOST_CHROMA, isInside, oklchOf, rgbOf, type Oklch, type Rgb } from './oklch';
    import { fromHex, hex } from './units';

    interface Props {
        colour: Rgb;
        /** While it is dragged. */
        ontry: (colour: Rgb) => void;
        /** When it is let go, or typed. */
        onset: (colour: Rgb) => void;
    }
    const { colour, ontry, onset }: Props = $props();
    const WIDTH = 260;
    const HEIGHT = 128;

    /** The colour as it is set here: grey keeps the hue it was given. */
    let at = $state<Oklch>({ l: 0.5, c: 0, h: 0 });
    $effect(() => {
        if (hex(rgbOf(at)) !== hex(colour)) {
            const now = oklchOf(colour);
            at = { ...now, h: now.c < 0.002 ? at.h : now.h };
        }
    });

    let field: HTMLCanvasElement | undefined = $state();
    const hue = $derived(Math.round(at.h));
    /** Chroma to the right, lightness upwards; what sRGB does not have stays blank. */
    $effect(() => {
        const g = field?.getContext('2d');
        if (!g) return;
        const [w, h] = [WIDTH / 2, HEIGHT / 2];
        const pixels = g.createImageData(w, h);
        for (let y = 0; y < h; y++) {
            for (let x = 0; x < w; x++) {
                const one = { l: 1 - (y + 0.5) / h, c: ((x + 0.5) / w) * MOST_CHROMA, h: hue };
                if (isInside(one)) pixels.data.set([...rgbOf(one), 255], (y * w + x) * 4);
            }
        }
        g.putImageData(pixels, 0, 0);
    });

    function drag(e: PointerEvent, set: (share: [number, number]) => void) {
        const box = (e.currentTarget as HTMLElement).getBoundingClientRect();
        const clamp = (v: number) => Math.min(1, Math.max(0, v));
        set([clamp((e.clientX - box.left) / box.width), clamp((e.clientY - box.top) / box.height)]);
        ontry(rgbOf(at));
    }
    const inField = ([x, y]: [number, number]) => (at = { ...at, c: x * MOST_CHROMA, l: 1 - y });
    const inStrip = ([x]: [number, number]) => (at = { ...at, h: x * 360 });
    function down(e: PointerEvent, set: (share: [number, number]) => void) {
        (e.currentTarget as HTMLElement).setPointerCapture(e.pointerId);
        drag(e, set);
    }
    function set(change: Partial<Oklch>) {
        at = { ...at, ...change };
        onset(rgbOf(at));
    }
    function nudge(e: KeyboardEvent, keys: Record<string, Partial<Oklch>>) {
        const change = keys[e.key];
        if (!change) return;
        e.preventDefault();
        e.stopPropagation();
        set(change);
    }
    const clamp = (v: number, most: number) => Math.min(most, Math.max(0, v));

    const numbers = $derived([
        {
            name: 'Lightness',
            short: 'L',
            value: (at.l * 100).toFixed(1),
            most: 100,
            set: (v: number) => set({ l: v / 100 }),
        },
        { name: 'Chroma', short: 'C', value: at.c.toFixed(3), most: MOST_CHROMA, set: (v: number) => set({ c: v }) },
        { name: 'Hue', short: 'H', value: at.h.toFixed(0), most: 360, set: (v: number) => set({ h: v }) },
        ...(['Red', 'Green', 'Blue'] as const).map((name, k) => ({
            name,
            short: name[0] ?? '',
            value: String(colour[k]),
            most: 255,
            set: (v: number) => onset(colour.map((c, i) => (i === k ? Math.round(v) : c)) as Rgb),
        })),
    ]);
</script>

<div class="grid gap-2">
    <div
        class="relative touch-none overflow-hidden rounded-lg border border-base-300 bg-[repeating-linear-gradient(45deg,var(--color-base-200)_0_6px,var(--color-base-100)_6px_12px)]"
        style:height="{HEIGHT}px"
        role="slider"
        tabindex="0"
        aria-label="Chroma and lightness"
        aria-valuenow={Math.round(at.l * 100)}
        aria-valuetext="lightness {(at.l * 100).toFixed(0)}, chroma {at.c.toFixed(2)}"
        onpointerdown={(e) => down(e, inField)}
        onpointermove={(e) => e.buttons === 1 && drag(e, inField)}
        onpointerup={() => onset(rgbOf(at))}
        onkeydown={(e) =>
            nudge(e, {
                ArrowUp: { l: clamp(at.l + 0.01, 1) },
                ArrowDown: { l: clamp(at.l - 0.01, 1) },
                ArrowRight: { c: clamp(at.c + 0.005, MOST_CHROMA) },
                ArrowLeft: { c: clamp(at.c - 0.005, MOST_CHROMA) },
            })}
    >
        <canvas bind:this={field} width={WIDTH / 2} height={HEIGHT / 2} class="h-full w-full"></canvas>
        <span
            class="pointer-events-none absolute size-4 -translate-x-1/2 -translate-y-1/2 rounded-full border-2 border-white shadow-[0_0_0_1.5px_#2a2822]"
            style:left="{(at.c / MOST_CHROMA) * 100}%"
            style:top="{(1 - at.l) * 100}%"
            style:background={hex(colour)}
        ></span>
    </div>
    <div
        class="relative h-5 touch-none rounded-full border border-base-300"
        style:background="linear-gradient(to right in oklch longer hue, oklch(0.72 0.13 0), oklch(0.72 0.13 359.9))"
        role="slider"
        tabindex="0"
        aria-label="Hue"
        aria-valuemin={0}
        aria-valuemax={360}
        aria-valuenow={hue}
        onpointerdown={(e) => down(e, inStrip)}
        onpointermove={(e) => e.buttons === 1 && drag(e, inStrip)}
        onpointerup={() => onset(rgbOf(at))}
        onkeydown={(e) => nudge(e, { ArrowRight: { h: (at.h + 2) % 360 }, ArrowLeft: { h: (at.h + 358) % 360 } })}
    >
        <span
            class="pointer-events-none absolute top-1/2 h-6 w-2.5 -translate-x-1/2 -translate-y-1/2 rounded-full border-2 border-white bg-transparent shadow-[0_0_0_1.5px_#2a2822]"
            style:left="{(at.h / 360) * 100}%"
        ></span>
    </div>
    <div class="grid grid-cols-3 gap-1.5">
        {#each numbers as n (n.name)}
            <label class="flex items-center gap-1.5 text-[12.5px]"
                ><span class="quiet w-3" title={n.name}>{n.short}</span>
                <input
                    class="input input-xs w-full tabular-nums"
                    inputmode="decimal"
                    aria-label={n.name}
                    value={n.value}
                    onchange={(e) => {
                        const v = Number(e.currentTarget.value);
                        if (Number.isFinite(v) && e.currentTarget.value.trim()) n.set(clamp(v, n.most));
                        else e.currentTarget.value = n.value;
                    }}
                />
            </label>
        {/each}
    </div>
    <label class="flex items-center gap-1.5 text-[12.5px]"
        ><span class="quiet">sRGB</span>
        <input
            class="input input-xs w-24 font-mono"
            aria-label="Colour in hex"
            value={hex(colour)}
            onchange={(e) => {
                const text = e.currentTarget.value.trim();
                if (/^#?[0-9a-f]{6}$/i.test(text)) onset(fromHex(text.startsWith('#') ? text : `#${text}`));
                else e.currentTarget.value = hex(colour);
            }}
        />
        <span class="quiet ml-auto">hatched: not in sRGB</span>
    </label>
</div>
