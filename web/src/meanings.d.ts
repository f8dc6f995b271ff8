declare module "virtual:meanings" {
  /** What a figure means, by its name. */
  const said: Record<string, string>;
  export default said;
}
