// The colours of lines that are neither the page's own nor what it is compared with, one after the other.
const others = ['#7a5c99', '#4f7396', '#96704f', '#5f8a4a', '#a8627e', '#8c8a3d', '#3f8f9b', '#7d7d86'] as const

export const otherColour = (i: number): string => others[i % others.length] ?? others[0]
