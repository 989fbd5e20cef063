/** A module of ours as the text of a script: what a thread or worker runs. */
declare module 'text:*' {
  const script: string
  export default script
}
