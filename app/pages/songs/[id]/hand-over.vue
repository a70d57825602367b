<template>
  <SongGate><HandOverView /></SongGate>
</template>
