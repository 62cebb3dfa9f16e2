// Answers statements by an embedded columnar database that holds a table in memory: a line of SQL in, a line with seconds out.
import { createInterface } from 'node:readline'
import { DuckDBInstance } from '@duckdb/node-api'

const database = await DuckDBInstance.create(':memory:', { threads: process.env.COLUMNAR_THREADS ?? '2' })
const connection = await database.connect()
for await (const line of createInterface({ input: process.stdin })) {
  const begun = performance.now()
  try {
    const rows = await (await connection.run(line)).getRows()
    console.log(((performance.now() - begun) / 1000).toFixed(6), rows.length)
  } catch (e) {
    console.log('error', String(e).replaceAll('\n', ' '))
  }
}
