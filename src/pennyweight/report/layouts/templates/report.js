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
document.querySelectorAll(".whatif").forEach(function (box) {
  var told = JSON.parse(box.querySelector(".moved").textContent);
  var which = box.querySelector("select"), place = box.querySelector("input"), output = box.querySelector("output");
  var verdict = box.querySelector(".verdict"), rows = box.querySelectorAll("tbody tr");
  function show() {
    var one = told.moved[which.value], k = Number(place.value), word = one.verdicts[k];
    output.textContent = one.places[k];
    place.setAttribute("aria-valuetext", one.places[k]);
    verdict.className = "verdict " + word[1];
    verdict.querySelector("strong").textContent = word[0];
    var moved = k === one.base ? "as it is" : one.verdicts[one.base][0] === word[0] ? "the verdict stays" : "the verdict turns";
    verdict.querySelector("span").textContent = one.label + " at " + one.places[k] + ": " + moved + ".";
    rows.forEach(function (row, n) {
      row.cells[1].textContent = one.figures[n][one.base];
      row.cells[2].textContent = one.figures[n][k];
      row.cells[3].textContent = one.states[n][k];
      row.className = one.figures[n][one.base] === one.figures[n][k] ? "" : "moved";
    });
  }
  function begin() {
    var one = told.moved[which.value];
    place.max = one.places.length - 1;
    place.value = one.base;
    show();
  }
  which.addEventListener("change", begin);
  place.addEventListener("input", show);
  box.querySelector(".back").addEventListener("click", begin);
  box.hidden = false;
  box.parentNode.querySelector(".ends").open = false;
  begin();
});
