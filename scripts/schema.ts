// Writes docs/formats/policies.schema.json from the catalogue of settings.
import { writeFileSync } from 'node:fs'
import { setSchema } from '../src/core/policies'

writeFileSync('docs/formats/policies.schema.json', `${JSON.stringify(setSchema(), null, 2)}\n`)
