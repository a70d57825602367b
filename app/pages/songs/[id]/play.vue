<template>
  <SongGate>
    <div class="play">
      <BriefSentence />
      <SongChart />
      <aside class="side">
        <PartList />
        <PassList />
      </aside>
    </div>
  </SongGate>
</template>

<style scoped>
.play { display: grid; grid-template: auto minmax(0, 1fr) / minmax(0, 1fr) 268px; gap: 10px 16px; height: 100%; }
.play > :first-child { grid-column: 1 / -1; }
.side { display: grid; grid-template-rows: auto minmax(90px, 1fr); gap: 8px; min-height: 0; overflow: auto; }
</style>
