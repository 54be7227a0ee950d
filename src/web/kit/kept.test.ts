// @vitest-environment happy-dom
import { afterEach, describe, expect, it } from 'vitest'
import { defineComponent, h, nextTick, ref, withDirectives } from 'vue'
import { clear, show } from '../fixtures/page'
import { vKept } from './kept'

afterEach(clear)

describe('a field that tells what was typed when it is left', () => {
  const [value, drawn] = [ref<string | number>('mara'), ref(0)]
  const form = defineComponent(
    () => () => h('form', [h('p', String(drawn.value)), withDirectives(h('input'), [[vKept, value.value]]), h('button', 'elsewhere')]),
  )

  it('keeps what is being typed while the page is drawn again, and shows what the value has become', async () => {
    const page = await show(form)
    const field = page.one<HTMLInputElement>('input')
    expect(field.value).toBe('mara')
    field.focus()
    field.value = 'mara.li'
    drawn.value++
    await nextTick()
    expect([page.one('p').textContent, field.value]).toEqual(['1', 'mara.li'])
    value.value = 'tove'
    await nextTick()
    expect(field.value).toBe('tove')
    field.value = 'x'
    field.blur()
    drawn.value++
    await nextTick()
    expect(field.value).toBe('tove')
    value.value = 7
    await nextTick()
    expect(field.value).toBe('7')
  })
})
