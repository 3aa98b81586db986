<template>
  <section class="page">
    <h1>There is nothing at this address</h1>
    <p>The shot or still may have been deleted. <router-link to="/projects">All projects</router-link></p>
  </section>
</template>
<style scoped>
.page {
  padding: 40px;
}
</style>
