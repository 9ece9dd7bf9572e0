package drawing

// tub is a tub of stock: what frames and heads were boiled down to.
type tub struct{}

func (tub) name() string { return "A tub of stock" }

func (tub) zones() []zone { return nil }

func (tub) draw(c *canvas) {
	c.add(`<path d="M270 140 L310 318 Q314 334 332 334 L668 334 Q686 334 690 318 L730 140 Z" fill="#dfe7ea" stroke="#5b6f78" stroke-width="3"/>` +
		`<ellipse cx="500" cy="140" rx="230" ry="44" fill="#eef3f4" stroke="#5b6f78" stroke-width="3"/>` +
		`<ellipse cx="500" cy="150" rx="206" ry="34" fill="#d9b765"/>` +
		`<path d="M306 158 Q380 128 470 134 T690 142" fill="none" stroke="#f0dca0" stroke-width="5" stroke-linecap="round" opacity=".8"/>` +
		`<g fill="#f0dca0"><circle cx="420" cy="158" r="7"/><circle cx="560" cy="164" r="5"/><circle cx="610" cy="150" r="8"/></g>` +
		`<path d="M340 200 L356 300" stroke="#fff" stroke-width="9" stroke-linecap="round" opacity=".7"/>`)
}
