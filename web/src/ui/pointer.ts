/** For what is dragged and has keys of its own: the library would take its arrows for drags. */
export const BY_POINTER = { pointer: { keys: false } };
