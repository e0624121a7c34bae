/** What a client sends, derived from the class that the service validates it by, so that the two cannot differ. */
export type Shape<T> = T extends readonly (infer Item)[]
  ? readonly Shape<Item>[]
  : T extends object
    ? { readonly [Key in keyof T]: Shape<T[Key]> }
    : T;
