<script lang="ts"></script>

<!-- The mark: a small arch bridge. -->
<svg
  class="text-inside"
  width="28"
  height="20"
  viewBox="0 0 28 20"
  fill="none"
  stroke="currentColor"
  stroke-width="1.8"
  stroke-linecap="round"
  aria-hidden="true"
>
  <path d="M2 15.5V13a12 12 0 0 1 24 0v2.5" />
  <path d="M1 15.5h26" />
  <path d="M8 15.5V6M14 15.5V3M20 15.5V6" />
</svg>
