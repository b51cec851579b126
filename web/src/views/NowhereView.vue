<template>
  <main class="p-8">
    <h1 class="text-2xl">There is nothing here</h1>
    <p class="mt-2">The address leads to no view. <RouterLink to="/" class="underline">Go to Today.</RouterLink></p>
  </main>
</template>
