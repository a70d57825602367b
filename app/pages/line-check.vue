<template>
  <LineCheckView />
</template>
