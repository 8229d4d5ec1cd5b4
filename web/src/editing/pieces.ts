/** What was pasted or typed into a list, in pieces: lines, tabs, commas and semicolons part them; what is quoted stays whole. */
export function piecesOf(text: string, blanks = false): string[] {
  const found = text.match(blanks ? /"[^"]*"|[^",;\s]+/g : /"[^"]*"|[^",;\t\r\n]+/g) ?? []
  return [...new Set(found.map((piece) => piece.replace(/^"|"$/g, '').trim().replace(/\s+/g, ' ')))].filter(
    Boolean,
  )
}
