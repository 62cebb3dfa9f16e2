<script lang="ts">
  import type { Fault } from './files'

  // The kinds of fault of a file, each with its count, its first lines and what would put it right.
  let { faults, onsuggest }: { faults: Fault[]; onsuggest: (option: string, value: string) => void } = $props()

  const place = (f: Fault) => `${f.file ? f.file + ', ' : ''}line ${f.line}${f.column ? `, column ${f.column}` : ''}`
  const lines = (f: Fault) => f.lines.join(', ') + (f.count > f.lines.length ? ', …' : '')
</script>

<ul class="space-y-2" data-faults>
  {#each faults as f, i (i)}
    <li class="flex flex-wrap items-baseline gap-x-2">
      <span class="font-semibold text-worse">{place(f)}</span>
      {#if f.column}<span class="rounded bg-ahead px-1 font-mono text-[0.75rem]">{f.value || '(blank)'}</span>{/if}
      <span>{f.expected}</span>
      {#if f.count > 1}<span class="text-quiet">{f.count.toLocaleString('en')} in all, on lines {lines(f)}</span>{/if}
      {#if f.suggestion}
        {@const s = f.suggestion}
        <button class="button" onclick={() => onsuggest(s.option, s.value)}
          >{s.option === 'allow_undated'
            ? 'Accept records without a date'
            : `Set ${s.option.replace('_', ' ')} to ${s.value}`}</button
        >
      {/if}
    </li>
  {/each}
</ul>
