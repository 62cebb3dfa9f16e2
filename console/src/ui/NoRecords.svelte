<script lang="ts"></script>

<section class="card p-8 text-center">
  <h2 class="font-semibold">There are no records yet</h2>
  <p class="mt-1 text-quiet">
    Load a file: <code class="font-mono">vastspan load NAME FILE.csv --date COLUMN --amount COLUMN</code>
  </p>
</section>
