package releases

// BundlePart is how many bytes of a bundle one row holds.
const BundlePart = bundlePart
