/** What a field's list that opens is called: as the field is. The library hands it on, but its types do not know the attribute. */
export const listNamed = (label: string) => ({ listProps: { 'aria-label': label } as { tag?: string } })
