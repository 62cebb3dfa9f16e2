<script lang="ts">
  import { Popover } from 'bits-ui'
  import type { Context } from '../../api/queries'
  import { setParam } from '../../lib/address.svelte'
  import DatePair from '../spans/DatePair.svelte'
  import Expression from '../spans/Expression.svelte'
  import type { BriefDefinition } from './briefs'

  // What the brief asks for when it is opened: spans, given here or left at their defaults.
  interface Props {
    prompts: NonNullable<BriefDefinition['prompts']>
    given: Record<string, string>
    shown: Record<string, string> | undefined
    context: Context | null
  }
  let { prompts, given, shown, context }: Props = $props()

  let typed = $state<Record<string, string>>({})
  const give = (name: string, expression: string) =>
    setParam(
      'prompt',
      Object.entries({ ...given, [name]: expression }).map(([k, v]) => `${k}=${v}`),
    )
  const useTyped = (name: string) => typed[name] && give(name, typed[name] ?? '')
</script>

<section
  class="card mb-3.5 flex flex-wrap items-center gap-x-5 gap-y-2 px-4 py-2.5 print:border-0 print:p-0"
  aria-label="What the brief asks for"
>
  {#each prompts as p (p.name)}
    {@const now = given[p.name] ?? p.default}
    <Popover.Root>
      <span class="text-quiet">{p.label}</span>
      <Popover.Trigger class="chip chip-on font-mono text-[0.75rem]" data-prompt={p.name}>
        {shown?.[p.name] ?? p.default}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content class="card z-40 w-[min(26rem,94vw)] p-3 shadow-lg" sideOffset={4} align="start">
          <DatePair id={`prompt-${p.name}`} value={now} onuse={(e) => give(p.name, e)} />
          <h3 class="label mt-3">or any span</h3>
          <Expression
            id={`prompt-${p.name}-expression`}
            label="Expression"
            bind:value={() => typed[p.name] ?? now, (t) => (typed[p.name] = t)}
            {context}
            onenter={() => useTyped(p.name)}
          />
          <div class="flex justify-end">
            <button class="button button-strong" onclick={() => useTyped(p.name)}>Use</button>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  {/each}
</section>
