"""Systems whose edition a licence sets, and whose releases come on a medium. docs/licensed.md."""
