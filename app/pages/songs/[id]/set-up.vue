<template>
  <SongGate><SetUpView /></SongGate>
</template>
