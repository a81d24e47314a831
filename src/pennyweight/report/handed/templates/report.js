document.querySelectorAll("table.sortable").forEach(function (table) {
  table.querySelectorAll("th button").forEach(function (button, k) {
    button.addEventListener("click", function () {
      var head = button.parentNode, down = head.getAttribute("aria-sort") === "ascending";
      var body = table.tBodies[0], rows = Array.prototype.slice.call(body.rows);
      table.querySelectorAll("th").forEach(function (other) { other.removeAttribute("aria-sort"); });
      head.setAttribute("aria-sort", down ? "descending" : "ascending");
      rows.sort(function (a, b) {
        var x = a.cells[k].dataset.k, y = b.cells[k].dataset.k, order;
        if (x !== undefined && y !== undefined) order = x - y;
        else if (x !== undefined || y !== undefined) return x === undefined ? 1 : -1;
        else order = a.cells[k].textContent.localeCompare(b.cells[k].textContent);
        return down ? -order : order;
      });
      rows.forEach(function (row) { body.appendChild(row); });
    });
  });
});
window.addEventListener("hashchange", function () {
  var aimed = document.getElementById(location.hash.slice(1));
  var why = aimed && aimed.querySelector("details");
  if (why) why.open = true;
});
