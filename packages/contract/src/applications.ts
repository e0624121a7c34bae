/** An application of the catalogue. */
export interface ApplicationInfo {
  readonly name: string;
  readonly title?: string;
  readonly category?: string;
  readonly risk?: 'low' | 'medium' | 'high';
  readonly ports: readonly string[];
  readonly needs: readonly string[];
  readonly over?: string;
  /** Conditions as fence text. */
  readonly signatures: readonly string[];
  readonly isBuiltIn: boolean;
  /** The statement as fence text. */
  readonly text: string;
  readonly usedBy: readonly string[];
}
