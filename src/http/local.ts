/** Whether a host is this machine. */
export function isLocal(host: string): boolean {
  return /^(localhost|127(\.\d{1,3}){3}|\[?::1\]?)$/i.test(host) || host.toLowerCase().endsWith('.localhost')
}
