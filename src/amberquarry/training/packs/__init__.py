"""Train readers for further scripts: texts, faces, shaped lines."""
