document.querySelectorAll("button.opens").forEach(function (button) {
  var why = document.getElementById(button.getAttribute("aria-controls"));
  function turn(open) {
    why.hidden = !open;
    button.setAttribute("aria-expanded", open ? "true" : "false");
  }
  turn(false);
  button.addEventListener("click", function () { turn(why.hidden); });
});
document.querySelectorAll("table.sortable").forEach(function (table) {
  table.querySelectorAll("th button").forEach(function (button, k) {
    button.addEventListener("click", function () {
      var head = button.parentNode, down = head.getAttribute("aria-sort") === "ascending";
      // A row that opens has a body of its own, with its why in it; else one body has all rows.
      var apart = table.classList.contains("opening"), body = apart ? table : table.tBodies[0];
      var rows = Array.prototype.slice.call(apart ? table.tBodies : body.rows);
      table.querySelectorAll("th").forEach(function (other) { other.removeAttribute("aria-sort"); });
      head.setAttribute("aria-sort", down ? "descending" : "ascending");
      rows.sort(function (a, b) {
        var left = (apart ? a.rows[0] : a).cells[k], right = (apart ? b.rows[0] : b).cells[k];
        var x = left.dataset.k, y = right.dataset.k, order;
        if (x !== undefined && y !== undefined) order = x - y;
        else if (x !== undefined || y !== undefined) return x === undefined ? 1 : -1;
        else order = left.textContent.localeCompare(right.textContent);
        return down ? -order : order;
      });
      rows.forEach(function (row) { body.appendChild(row); });
    });
  });
});
window.addEventListener("hashchange", function () {
  var aimed = document.getElementById(location.hash.slice(1));
  var why = aimed && aimed.querySelector("details"), button = aimed && aimed.querySelector("button.opens");
  if (why) why.open = true;
  if (button && button.getAttribute("aria-expanded") === "false") button.click();
});
