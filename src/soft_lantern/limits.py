"""How much is read of anything: past these, a file is refused in one sentence before it takes the machine's memory.

`docs/file-format.md` lists them.
"""

from __future__ import annotations

RECORD_BYTES = 64 << 20
"""Bytes of one JSON record, table, gradient or palette file."""
MESH_BYTES = 2 << 30
"""Bytes of a mesh file, and of each buffer beside it."""
IMAGE_BYTES = 2 << 30
"""Bytes of an image file."""
IMAGE_SIDE = 16_384
"""Texels across or down an image."""
IMAGE_CHANNELS = 64
"""Channels of an image file; four of them are used."""
MESH_NUMBERS = 400_000_000
"""Numbers in one array of a mesh: elements times components."""
MESH_REFINED = 4_000_000
"""Triangles that a model may be refined to."""
MESH_PARTS = 20_000
"""Parts of a model."""
MESH_DEPTH = 256
"""Nodes of a glTF file inside one another."""
REFINE = 6
"""How often a mesh is refined: each time four triangles stand for one."""
SUBDIVISION = 512
"""Pieces round or across a primitive."""
PALETTE_SIDE = 256
"""Cells along the edge of a palette: an index has 8 bits across and 8 down."""
ANCESTORS = 1000
"""Instances above an instance."""
EXPOSURE_STOPS = 32.0
"""Stops by which a light is brighter or darker than it is."""
SNIPPET_DEPTH = 60
"""Snippets inside one another; a deeper one gives 0, with a notice."""
SNIPPET_NODES = 20_000
"""Nodes that the snippets of one graph unfold into; the rest give 0, with a notice."""
RECORDS = 200_000
"""Records in one folder of a project."""
LIGHT_PARTS = 20_000
"""Parts of a file of baked light."""
PATH_LETTERS = 1024
"""Letters of a path in a record."""
PICTURE_SIDE = 8192
"""Pixels across or down a picture that is drawn."""
