<script lang="ts">
  import { AlertDialog } from 'bits-ui'
  import { answer, asked } from './ask.svelte'

  // The question that is asked before something is removed or left.
</script>

<AlertDialog.Root
  open={asked.now !== null}
  onOpenChange={(open) => {
    if (!open) answer(false)
  }}
>
  <AlertDialog.Portal>
    <AlertDialog.Overlay class="fixed inset-0 z-50 bg-ink/25" />
    <AlertDialog.Content
      class="card fixed top-1/2 left-1/2 z-50 w-[min(30rem,94vw)] -translate-x-1/2 -translate-y-1/2 p-5 shadow-xl"
      data-ask
    >
      <AlertDialog.Title class="text-lg font-semibold">{asked.now?.title}</AlertDialog.Title>
      <AlertDialog.Description class="mt-1.5 text-quiet">{asked.now?.text}</AlertDialog.Description>
      <div class="mt-4 flex justify-end gap-2">
        <AlertDialog.Cancel class="button">Cancel</AlertDialog.Cancel>
        <AlertDialog.Action class="button button-strong" onclick={() => answer(true)}
          >{asked.now?.action}</AlertDialog.Action
        >
      </div>
    </AlertDialog.Content>
  </AlertDialog.Portal>
</AlertDialog.Root>
