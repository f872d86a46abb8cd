const TARGET_PX = 44

/** How high a row of a list that is pressed stands: under a finger as high as a target has to be. */
export const rowHeight = (underMouse: number): number => (matchMedia('(pointer: coarse)').matches ? Math.max(TARGET_PX, underMouse) : underMouse)
