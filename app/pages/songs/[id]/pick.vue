<template>
  <SongGate><PickView /></SongGate>
</template>
