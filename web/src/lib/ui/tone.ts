// The tones of stamps, findings and squares. Each stands beside a word, never alone.
export type Tone = 'ink' | 'note' | 'ok' | 'warn' | 'block';
