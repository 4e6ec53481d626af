/** Prints the words of the page, one JSON list: what stands in its sources for people to read, sentences with {0}, {1} …
 * where something is put in. Sentences that differ by a condition are told one by one. Run by `./run words`. */
import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import ts from "typescript";

const SOURCES = new URL("./src/", import.meta.url).pathname;
const UNSEEN_ATTRIBUTES =
    /^(className|key|type|id|role|name|href|src|d|viewBox|style|htmlFor|lang|translate|data-.*|aria-(live|current|haspopup|controls).*)$/;
const UNSEEN_CALLS =
    /^(cx|fetch|querySelector(All)?|getElementById|(add|remove)EventListener|getContext|startsWith|endsWith|includes|getItem|setItem|Error|RegExp|go|open|test|match|split|replace|setData)$/;
/** One sentence has at most this many shapes; a longer one is no sentence. */
const MOST = 48;

/** Every shape a value of text can have: lists of texts, null for what is put in. */
function shapes(node) {
    if (ts.isStringLiteralLike(node)) return [[node.text]];
    if (ts.isParenthesizedExpression(node) || ts.isAsExpression(node) || ts.isNonNullExpression(node))
        return shapes(node.expression);
    if (ts.isConditionalExpression(node)) return [...shapes(node.whenTrue), ...shapes(node.whenFalse)];
    if (ts.isTemplateExpression(node)) {
        let all = [[node.head.text]];
        for (const span of node.templateSpans)
            all = joined(all, joined(shapes(span.expression), [[span.literal.text]]));
        return all;
    }
    if (ts.isBinaryExpression(node)) {
        const sign = node.operatorToken.kind;
        if (sign === ts.SyntaxKind.AmpersandAmpersandToken) return [[""], ...shapes(node.right)];
        if (sign === ts.SyntaxKind.BarBarToken || sign === ts.SyntaxKind.QuestionQuestionToken)
            return [...shapes(node.left), ...shapes(node.right)];
        if (sign === ts.SyntaxKind.PlusToken) return joined(shapes(node.left), shapes(node.right));
    }
    return [[null]];
}

const joined = (one, other) => one.flatMap((before) => other.map((after) => [...before, ...after])).slice(0, MOST);

/** A shape as one sentence with numbered gaps, null where it says nothing. */
function sentence(parts) {
    let gaps = 0;
    const text = parts
        .map((part) => (part === null ? `{${gaps++}}` : part))
        .join("")
        .replace(/\s+/g, " ")
        .trim();
    return /\p{L}{2}/u.test(text.replace(/\{\d+\}/g, " ")) ? text : null;
}

/** Whether a text in the source, by its look, is there for people. */
function isWords(text, sure) {
    if (
        /^[a-z]+\.[a-z]+(\.|$)|^[a-z]+\.[a-z0-9_.]+$|\[(aria|tab|data)|(^|\s)(a|button|main), |^var\(|image\/|^\.[a-z]+,|^application|[{](?![0-9])|=>|;$|\/\/|^\/|^[.#[]\w|\$\{|url\(|calc\(|^M\d|^translate\(|var\(|^@|<\/|\n/.test(
            text,
        )
    )
        return false;
    if (sure) return true;
    const plain = text.replace(/\{\d+\}/g, "N");
    if (/(^|\s)[a-z-]+-\[?[\w./[\]%-]+(\s|$)/.test(plain) && !/[A-Z][a-z]+ |[.,:?]( |$)/.test(plain)) return false;
    return /^[“A-Z][a-z]/.test(plain) || /[\p{L}\dN,.:] [\p{L}(“N]/u.test(plain);
}

const isText = (node) =>
    ts.isStringLiteralLike(node) ||
    ts.isTemplateExpression(node) ||
    (ts.isConditionalExpression(node) && !hasElement(node)) ||
    (ts.isBinaryExpression(node) && node.operatorToken.kind === ts.SyntaxKind.PlusToken);
const hasElement = (node) =>
    ts.isJsxElement(node) ||
    ts.isJsxSelfClosingElement(node) ||
    ts.isJsxFragment(node) ||
    !!ts.forEachChild(node, (child) => hasElement(child) || undefined);

/** The text of JSX as it is shown: lines joined by one space, their margins away. */
function shown(node) {
    const lines = node.text.split("\n");
    const plain = (line) =>
        line.replace(
            /&(apos|amp|quot|lt|gt|nbsp);/g,
            (_, name) => ({ apos: "'", amp: "&", quot: '"', lt: "<", gt: ">", nbsp: "\u00a0" })[name],
        );
    return lines
        .map((line, i) => {
            let out = line;
            if (i) out = out.trimStart();
            if (i < lines.length - 1) out = out.trimEnd();
            return plain(out);
        })
        .filter((line) => line)
        .join(" ");
}

/** Whether what stands here is shown by what it is called: a label, or an entry of a table of words. */
function isShown(parent) {
    if (!ts.isPropertyAssignment(parent)) return false;
    if (/^(label|title|words|said|hint|about)$/.test(parent.name.getText())) return true;
    const table = parent.parent.parent;
    const named = ts.isAsExpression(table) || ts.isSatisfiesExpression(table) ? table.parent : table;
    return (
        ts.isVariableDeclaration(named) && /(NAMES?|WORDS|LABELS?|TITLES?|KINDS|PARTS|told)$/.test(named.name.getText())
    );
}

function collect(file, found) {
    const source = ts.createSourceFile(
        file,
        readFileSync(file, "utf8"),
        ts.ScriptTarget.Latest,
        true,
        ts.ScriptKind.TSX,
    );
    const add = (all, sure) => {
        for (const parts of all) {
            const text = sentence(parts);
            if (text && isWords(text, sure)) found.add(text);
        }
    };
    const run = (children) => {
        let all = [[]];
        const end = () => {
            add(all, true);
            all = [[]];
        };
        for (const child of children) {
            if (ts.isJsxText(child)) all = joined(all, [[shown(child)]]);
            else if (ts.isJsxExpression(child) && child.expression && !hasElement(child))
                all = joined(all, shapes(child.expression));
            else if (!ts.isJsxExpression(child) || child.expression) end();
        }
        end();
    };
    // What a text is made of and is no text itself.
    const rest = (node) =>
        ts.forEachChild(node, (child) =>
            isText(child) || ts.isTemplateSpan(child) || ts.isParenthesizedExpression(child)
                ? rest(child)
                : walk(child),
        );
    const walk = (node) => {
        if (ts.isJsxElement(node) || ts.isJsxFragment(node)) {
            run(node.children);
            if (ts.isJsxElement(node)) walk(node.openingElement);
            for (const child of node.children)
                if (ts.isJsxExpression(child) && child.expression && !hasElement(child) && isText(child.expression))
                    rest(child.expression);
                else if (!ts.isJsxText(child)) walk(child);
            return;
        }
        if (
            ts.isImportDeclaration(node) ||
            ts.isLiteralTypeNode(node) ||
            ts.isTypeAliasDeclaration(node) ||
            ts.isInterfaceDeclaration(node)
        )
            return;
        if (ts.isJsxAttribute(node)) {
            const name = node.name.getText();
            const value = node.initializer;
            // A component's name is shown; an element's is not.
            const ofComponent = /^[A-Z]/.test(node.parent.parent.tagName.getText());
            if (UNSEEN_ATTRIBUTES.test(name) && !(ofComponent && name === "name")) return;
            if (value && ts.isStringLiteral(value)) return add([[value.text]], name !== "name");
            if (
                value?.expression &&
                !hasElement(value) &&
                /^(title|label|aria-label|hint|placeholder|alt|why|said|text)$/.test(node.name.getText())
            ) {
                add(shapes(value.expression), true);
                return isText(value.expression) ? rest(value.expression) : walk(value.expression);
            }
        }
        if (ts.isCallExpression(node)) {
            const name = node.expression.name?.text ?? node.expression.text;
            if (UNSEEN_CALLS.test(name ?? "")) {
                node.arguments.forEach(
                    (one) => !ts.isStringLiteralLike(one) && !ts.isTemplateExpression(one) && walk(one),
                );
                walk(node.expression);
                return;
            }
        }
        if (ts.isBinaryExpression(node) && /^[!=]==$/.test(node.operatorToken.getText())) {
            [node.left, node.right].forEach((side) => !ts.isStringLiteralLike(side) && walk(side));
            return;
        }
        if (ts.isCaseClause(node)) {
            node.statements.forEach(walk);
            return;
        }
        if (ts.isElementAccessExpression(node) && ts.isStringLiteralLike(node.argumentExpression))
            return walk(node.expression);
        if (isText(node)) {
            add(shapes(node), isShown(node.parent));
            return rest(node);
        }
        ts.forEachChild(node, walk);
    };
    walk(source);
}

const found = new Set();
const files = readdirSync(SOURCES, { recursive: true }).filter(
    (name) => /\.tsx?$/.test(name) && !/\.test\.|testing\/|api\/types|words\/|shaders\.ts/.test(name),
);
for (const name of files.sort()) collect(join(SOURCES, name), found);
// What sentences are put together with.
for (const word of ["and", "perhaps", "place", "places", "across", "down", "repeat", "repeats", "yesterday"])
    found.add(word);
// What is made of two words.
for (const size of ["Finest", "Fine", "Small", "Medium", "Large", "Largest"])
    found.add(`${size} detail`).add(`${size} contrast`);
// Words of the glossary, and what they mean.
const glossary = readFileSync(new URL("../docs/guide/words.md", import.meta.url), "utf8").replace(/\n {2}(?=\S)/g, " ");
for (const [, word, meaning] of glossary.matchAll(/^- \*\*(.+?)\*\*: (.+)$/gm)) found.add(word).add(meaning);
console.log(JSON.stringify([...found], null, 0));
