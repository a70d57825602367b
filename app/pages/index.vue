<template><div>desk</div></template>
