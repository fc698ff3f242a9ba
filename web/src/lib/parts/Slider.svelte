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
        onsave: () => void;
    }
    const { label, value, min, max, step, shown, help = '', oninput, onsave }: Props = $props();
    const id = $props.id();
</script>

<div class="mt-2.5" title={help}>
    <label for={id} class="flex items-baseline justify-between text-[13px]">
        <span>{label}</span><b>{shown}</b>
    </label>
    <input
        {id}
        type="range"
        class="range range-primary range-xs mt-0.5 w-full"
        {min}
        {max}
        {step}
        {value}
        oninput={(e) => oninput(e.currentTarget.valueAsNumber)}
        onchange={onsave}
    />
</div>
