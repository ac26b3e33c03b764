// A reporter for Node's test runner that writes one line for each failed test: the file it stands in.
export default async function* failedFiles(events) {
  for await (const { type, data } of events) if (type === 'test:fail' && data.file !== undefined) yield `${data.file}\n`
}
