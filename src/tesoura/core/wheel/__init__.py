"""A wheel of fields: a draw that anybody can check, an order that keeps like ones apart, which counts are usual."""
