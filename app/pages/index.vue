<template>
  <DeskView />
</template>
