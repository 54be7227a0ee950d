import type { FastifyReply } from 'fastify'
import Papa from 'papaparse'

/** Answers with CSV (RFC 4180). Cells that a spreadsheet would run as a formula are made harmless. */
export function sendCsv(reply: FastifyReply, name: string, rows: readonly object[]): FastifyReply {
  return reply
    .header('content-type', 'text/csv; charset=utf-8')
    .header('content-disposition', `attachment; filename="${name}"`)
    .send(Papa.unparse(rows as object[], { newline: '\r\n', escapeFormulae: true }) + '\r\n')
}
