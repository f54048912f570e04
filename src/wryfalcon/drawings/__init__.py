"""Every drawing of the application: small functions from core results to marks on a sheet."""
