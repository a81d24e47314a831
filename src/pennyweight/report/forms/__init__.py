"""The forms a result can be written in, one module each; `registry` names them."""
