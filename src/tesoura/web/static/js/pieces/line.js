// A line, as a path that Tesoura has worked out; an area is closed along its foot.
export function draw(node, path) {
  node.setAttribute("d", path && node.dataset.close ? `${path}V100H0Z` : path);
}
