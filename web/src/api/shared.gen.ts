/** Made by `python -m tools.schema` from the server's own; do not edit. */
export const VERDICTS = ['sound', 'soft', 'smeared', 'spilled', 'bare', 'void'] as const
export const AHEAD = 10 // metres to what a move is about, where nothing is said
