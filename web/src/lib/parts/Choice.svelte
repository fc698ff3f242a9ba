<script lang="ts" generics="T extends string">
    import { radios } from './radios';

    interface Props {
        label: string;
        value: T;
        options: { value: T; name: string; help?: string }[];
        onchoose: (value: T) => void;
        /** In a row with others, its label is only told. */
        compact?: boolean;
    }
    const { label, value, options, onchoose, compact = false }: Props = $props();
</script>

<fieldset class={compact ? '' : 'mt-2.5'}>
    <legend class={compact ? 'sr-only' : 'mb-1 text-[13px]'}>{label}</legend>
    <div
        class="flex overflow-hidden rounded-[9px] border border-base-300 text-[13px]"
        role="radiogroup"
        use:radios
        aria-label={label}
    >
        {#each options as o (o.value)}
            <button
                type="button"
                role="radio"
                aria-checked={o.value === value}
                tabindex={o.value === value ? 0 : -1}
                title={o.help}
                class="flex-1 cursor-pointer {compact ? 'px-2.5' : 'px-1'} py-1 {o.value === value
                    ? 'bg-primary text-primary-content'
                    : 'hover:bg-base-200'}"
                onclick={() => onchoose(o.value)}>{o.name}</button
            >
        {/each}
    </div>
</fieldset>
