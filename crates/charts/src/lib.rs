//! Drawings and reports from core's values. Nothing is drawn yet: the crate holds its place in the workspace,
//! so that core never comes to know of drawing. What is planned stands in the README under "What it does not do yet".
