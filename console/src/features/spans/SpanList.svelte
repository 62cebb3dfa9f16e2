<script lang="ts">
  import { api, data, type Schemas } from '../../api/client'

  // A list of spans from a file: shifts, campaigns, tides. What stands beside them goes along until the page is left.
  let { onuse }: { onuse: (list: Schemas['Limits']) => void } = $props()

  const most = 200
  let trouble = $state('')

  async function choose(e: Event & { currentTarget: HTMLInputElement }) {
    const file = e.currentTarget.files?.[0]
    e.currentTarget.value = ''
    if (!file) return
    trouble = ''
    try {
      const text = await file.text()
      const list = data(
        await api.POST('/limits', { body: text, bodySerializer: (b) => b, headers: { 'Content-Type': 'text/csv' } }),
      )
      const n = list.over.length.toLocaleString('en')
      if (list.over.length <= most) onuse(list)
      else trouble = `The list has ${n} spans: a page shows ${most} at most; the command line takes 10,000.`
    } catch (err) {
      trouble = (err as Error).message
    }
  }
</script>

<h3 class="label mt-2">or a list: a CSV file with a column expression, or from and until</h3>
<input class="field" type="file" accept=".csv,text/csv" aria-label="A list of spans" onchange={choose} />
{#if trouble}<p class="mt-1 text-worse" role="alert">{trouble}</p>{/if}
