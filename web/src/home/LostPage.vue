<template>
  <div class="page">
    <h1>There is no such page</h1>
    <p>
      The address may be mistyped, or what it showed is gone. <RouterLink to="/">Go to the first page</RouterLink>, or
      find it by the field above.
    </p>
  </div>
</template>
