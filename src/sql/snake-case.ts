/** Converts `plotId` to `plot_id`. Runs of capitals stay together: `siteURLs` becomes `site_urls`. */
export function snakeCase(name: string): string {
  return name
    .replace(/([a-z\d])([A-Z])/g, '$1_$2')
    .replace(/([A-Z]+)([A-Z][a-z\d])/g, '$1_$2')
    .toLowerCase()
}
