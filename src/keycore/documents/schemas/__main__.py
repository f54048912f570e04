"""Write the shipped schemas anew."""

from keycore.documents.schemas import write_schemas

write_schemas()
