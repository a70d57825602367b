<template>
  <SongGate><TidyView /></SongGate>
</template>
