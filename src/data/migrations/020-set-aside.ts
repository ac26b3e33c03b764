/** Lines of the click log that could not be stored, by the machine that wrote them: counted, and told on the Desk. */
export const setAside = {
  name: '020-set-aside',
  up: `
CREATE TABLE set_aside_lines (node text NOT NULL, day date NOT NULL, lines bigint NOT NULL, PRIMARY KEY (node, day));`,
} as const
