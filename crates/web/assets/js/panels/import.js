// The import sheet: samples brought in from a CSV. The file is shown, its columns are matched up, then it is one edit. A
// panel of its own over the bench.
import Alpine from "../../vendor/alpine-csp.esm.js";
import { call } from "../api.js";

// What a column can mean, and whether a table may do without.
const COLUMNS = [
  ["frame", "Frame", false],
  ["x", "Across, px", false],
  ["y", "Down, px", false],
  ["matched", "Match, 0 to 1", true],
  ["state", "State", true],
  ["pin", "Name", true],
];

Alpine.data("importPanel", () => ({
  table: null,
  tableText: "",
  mapping: null,
  importProblem: "",

  async fileChosen(input) {
    const [file] = input.files;
    input.value = "";
    if (!file) return;
    this.importProblem = "";
    try {
      this.tableText = await file.text();
      const table = await call("POST", "/api/tables", { text: this.tableText });
      this.mapping = table.guess;
      this.table = { ...table, name: file.name };
    } catch (error) {
      this.table = null;
      this.importProblem = `${file.name}: ${error.message}`;
    }
  },
  get columnRows() {
    if (!this.table) return [];
    return COLUMNS.map(([key, title, optional]) => ({ key, title, optional, value: this.mapping[key] ?? "" }));
  },
  get headerRows() {
    return (this.table?.headers ?? []).map((name, index) => ({ index, name: name || `column ${index + 1}` }));
  },
  get previewRows() {
    return (this.table?.rows ?? []).map((fields, row) => ({
      row,
      fields: fields.map((text, index) => ({ key: `${row} ${index}`, text })),
    }));
  },
  columnChosen(key, value) {
    this.mappingSet(key, value === "" ? null : Number(value));
    if (key === "pin") this.mappingSet("only", value === "" ? null : this.table.rows[0][Number(value)]);
  },
  mappingSet(key, value) {
    this.mapping = { ...this.mapping, [key]: value };
  },
  async importTable() {
    if (!this.pin || !this.table) return;
    this.importProblem = "";
    const body = { pin: this.pin.id, text: this.tableText, mapping: JSON.parse(JSON.stringify(this.mapping)) };
    const work = () => call("POST", `${this.path}/import`, { revision: this.revision, ...body });
    const answer = await this.write(work, (message) => (this.importProblem = message));
    if (!answer) return;
    this.table = null;
    this.say(`${answer.samples} samples are brought in.`, false, "Undo", () => this.undo());
    window.bootstrap.Modal.getInstance(document.getElementById("import"))?.hide();
  },
}));
