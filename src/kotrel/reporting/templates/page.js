for (const field of document.querySelectorAll('.search input')) {
  const part = field.closest('.table'), said = part.querySelector('output');
  const rows = [...part.querySelectorAll('tbody tr')];
  field.addEventListener('input', () => {
    const words = field.value.toLowerCase().split(/\s+/).filter(Boolean);
    let shown = 0;
    for (const row of rows) {
      const text = row.textContent.toLowerCase(), fits = words.every((word) => text.includes(word));
      row.hidden = !fits;
      shown += fits;
    }
    said.textContent = words.length ? `${shown} of ${rows.length} rows` : '';
  });
}
