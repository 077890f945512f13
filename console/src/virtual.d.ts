/** The words of PostgreSQL's SQL, of the version that the editor knows; taken from it when the console is built. */
declare module "virtual:sql-words" {
  export const keywords: string;
  export const types: string;
}
