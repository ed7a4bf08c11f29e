<script setup lang="ts">
import { useImport } from '../what/importStore'

/** Where files come in. */
const bringing = useImport()
function chosen(e: Event) {
  const input = e.target as HTMLInputElement
  void bringing.bring(
    [...(input.files ?? [])].map((file) => ({ path: file.webkitRelativePath || file.name, file })),
  )
  input.value = ''
}
</script>

<template>
  <section class="drop">
    <p>Drop a cell package, robots or meshes here: files, a folder or a zip.</p>
    <p class="soft small">cell.json · URDF, SRDF · STL, OBJ, PLY, COLLADA, glTF</p>
    <label class="choose"
      >Choose files<input type="file" multiple data-test="import" @change="chosen"
    /></label>
    <label class="choose"
      >Choose a folder<input type="file" webkitdirectory @change="chosen"
    /></label>
  </section>
</template>

<style scoped>
.drop {
  margin-top: 32px;
  padding: 30px;
  text-align: center;
  border: 1.5px dashed var(--line);
  border-radius: 10px;
}
.small {
  font-size: 12px;
}
.choose {
  display: inline-block;
  margin: 14px 6px 0;
  padding: 6px 14px;
  border: 1px solid var(--line);
  border-radius: 6px;
  cursor: pointer;
  color: var(--accent);
  font-weight: 600;
}
.choose:focus-within {
  outline: 2px solid var(--accent);
}
.choose input {
  position: absolute;
  width: 1px;
  height: 1px;
  opacity: 0;
}
</style>
