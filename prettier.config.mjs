// The layout of our own scripts.

export default { printWidth: 120, objectWrap: "collapse" };
