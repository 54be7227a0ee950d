import { z } from 'zod'

// Our content security policy forbids code made at run time.
z.config({ jitless: true })
