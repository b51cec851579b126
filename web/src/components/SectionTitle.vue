<script setup lang="ts">
/** The title of a part of a page. */
</script>

<template>
  <h2 class="border-b-2 border-ink pb-1 text-lg"><slot /></h2>
</template>
