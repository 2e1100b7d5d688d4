/** Where a key moves the cursor of a grid. */
export interface Cell {
  row: number
  column: number
}
type Key = Pick<KeyboardEvent, 'key' | 'ctrlKey'>

/** The cell a key leads to, within `size` rows and columns; undefined where it moves nothing. `page`: rows that are in view. */
export function goalOf(
  { key, ctrlKey }: Key,
  { row, column }: Cell,
  size: Cell,
  page: number,
): Cell | undefined {
  const goals: Record<string, [number, number]> = {
    ArrowDown: [row + 1, column],
    ArrowUp: [row - 1, column],
    ArrowRight: [row, column + 1],
    ArrowLeft: [row, column - 1],
    PageDown: [row + page, column],
    PageUp: [row - page, column],
    Home: [ctrlKey ? 0 : row, 0],
    End: [ctrlKey ? size.row - 1 : row, size.column - 1],
  }
  const goal = goals[key]
  return goal && within({ row: goal[0], column: goal[1] }, size)
}

/** The nearest cell that there is. */
export function within({ row, column }: Cell, size: Cell): Cell {
  return {
    row: Math.max(0, Math.min(size.row - 1, row)),
    column: Math.max(0, Math.min(size.column - 1, column)),
  }
}
