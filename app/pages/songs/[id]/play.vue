<template>
  <SongGate><PlayView /></SongGate>
</template>
