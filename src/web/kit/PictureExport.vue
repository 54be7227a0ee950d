<script setup lang="ts">
import { csvAddress } from './csv'
import { standalone } from './picture'

/** Ways to take a picture along: the figures as CSV, the drawing as SVG or PNG. */
const props = defineProps<{ name: string; picture: SVGSVGElement | null; rows: () => readonly object[] }>()

function save(blob: Blob, ending: string): void {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = `${props.name}.${ending}`
  link.click()
  URL.revokeObjectURL(link.href)
}
const svg = () => props.picture && save(new Blob([standalone(props.picture)], { type: 'image/svg+xml' }), 'svg')
function png(): void {
  const { picture } = props
  if (!picture) return
  const image = new Image()
  image.onload = () => {
    const canvas = document.createElement('canvas')
    canvas.width = image.width * 2
    canvas.height = image.height * 2
    const brush = canvas.getContext('2d')
    if (!brush) return
    brush.scale(2, 2)
    brush.drawImage(image, 0, 0)
    canvas.toBlob((blob) => blob && save(blob, 'png'))
  }
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(standalone(picture))}`
}
</script>

<template>
  <span class="small exports">
    <a :href="csvAddress(rows())" :download="`${name}.csv`">CSV</a>
    <BButton variant="link" class="small" @click="svg">SVG</BButton>
    <BButton variant="link" class="small" @click="png">PNG</BButton>
  </span>
</template>

<style scoped>
.exports {
  display: inline-flex;
  gap: 10px;
}
</style>
