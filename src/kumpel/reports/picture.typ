// One picture alone, as large as it says it is.
#set page(width: auto, height: auto, margin: 0pt)
#image(bytes(sys.inputs.svg), format: "svg")
