<template>
  <SongGate><LineCheckView /></SongGate>
</template>
