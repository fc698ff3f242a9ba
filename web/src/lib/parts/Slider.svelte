<script lang="ts">
    interface Props {
        label: string;
        value: number;
        min: number;
        max: number;
        step: number;
        shown: string;
        help?: string;
        oninput: (value: number) => void;
        /** `soon`: moved by keys, where more presses may follow. */
        onsave: (soon: boolean) => void;
    }
    const { label, value, min, max, step, shown, help = '', oninput, onsave }: Props = $props();
    const id = $props.id();
    let held = false;

    /** Dragged back to where it was, there is no change to hear of, but it was let go all the same. */
    function letGo() {
        if (!held) return;
        setTimeout(() => {
            held = false;
            onsave(false);
        });
    }
</script>

<div class="mt-2.5" title={help}>
    <label for={id} class="flex items-baseline justify-between text-[13px]">
        <span>{label}</span><b>{shown}</b>
    </label>
    <input
        {id}
        type="range"
        aria-label={label}
        aria-valuetext={shown}
        class="range range-primary range-xs mt-0.5 w-full"
        {min}
        {max}
        {step}
        {value}
        oninput={(e) => oninput(e.currentTarget.valueAsNumber)}
        onpointerdown={() => (held = true)}
        onpointerup={letGo}
        onpointercancel={letGo}
        onchange={() => held || onsave(true)}
    />
</div>
