"""The document: nodes, wires, parameters, instances and scenes as immutable records; edits; lowering; notices."""
