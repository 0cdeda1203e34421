"""The Dress desk: objects, parts, cut-outs and light."""
