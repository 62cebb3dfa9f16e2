import { csvFormatRows } from 'd3-dsv'

/** A table as CSV, with a line end after the last row. */
export const toCSV = (rows: (string | null)[][]): string => csvFormatRows(rows.map((r) => r.map((v) => v ?? ''))) + '\n'
