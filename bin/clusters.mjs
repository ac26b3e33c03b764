// npm run clusters [-- --remove]: names the databases that lie outside their data folders; removes those whose data folder is gone.
import { rmSync } from 'node:fs'
import { clustersElsewhere } from './cluster-place.mjs'

const clusters = clustersElsewhere()
if (clusters.length === 0) console.log('No database lies outside its data folder.')
for (const { folder, of, isOrphan, isRunning } of clusters) {
  const whose = of === null ? 'of a data folder that is not known' : isOrphan ? `of ${of}, which is gone` : `of ${of}`
  const isRemoved = isOrphan && !isRunning && process.argv.includes('--remove')
  if (isRemoved) rmSync(folder, { recursive: true, force: true })
  console.log(`${folder}: the database ${whose}${isRemoved ? '; removed' : isRunning ? '; it is running' : ''}`)
}
if (clusters.some(({ isOrphan }) => isOrphan) && !process.argv.includes('--remove'))
  console.log('\nThose whose data folder is gone are removed by: npm run clusters -- --remove')
